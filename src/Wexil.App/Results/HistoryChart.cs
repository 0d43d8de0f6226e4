using Wexil.App.Wording;

namespace Wexil.App.Results;

/// <summary>A test as it is drawn in a step's history.</summary>
/// <param name="Letters">Its pages in order.</param>
/// <param name="Kept">The place of the page that was kept; null while it runs.</param>
/// <param name="Words">What came of it, in two short lines.</param>
public sealed record PastTest(IReadOnlyList<string> Letters, int? Kept, string Name, string Words)
{
    /// <summary>One that ended in a verdict.</summary>
    public static PastTest From(VerdictLine line) =>
        new(
            [.. line.Evidence.Pages.Select(page => page.Letter)],
            line.Place,
            line.Test.Name,
            $"{line.Result}, {Format.Count(line.Visitors, "visitor", "visitors")}"
        );

    /// <summary>One that runs.</summary>
    public static PastTest From(TestReading running) =>
        new(
            [.. running.Result.Pages.Select(page => page.Page.Letter)],
            null,
            running.Test.Name,
            $"now, {Format.Count(running.Result.Total.Visitors, "visitor", "visitors")}"
        );
}

/// <summary>
/// How a step got here, drawn from left to right: the thick line is the page kept, thin lines are pages that tried to
/// beat it, each better one a level up.
/// </summary>
public sealed class HistoryChart
{
    public const double Width = 860;
    private const double Left = 20,
        Right = 840,
        Top = 18,
        LevelHeight = 34,
        ThinHeight = 22;

    private readonly List<Line> _lines = [];
    private readonly List<(double, double, string)> _ends = [];
    private readonly List<Label> _labels = [];

    private const int MaxDrawn = 4;

    /// <summary>The last tests of a step that stand; null before anything was decided.</summary>
    /// <param name="decided">The newest first, those taken back among them.</param>
    /// <param name="running">Null for none.</param>
    public static HistoryChart? From(IEnumerable<VerdictLine> decided, TestReading? running)
    {
        PastTest[] past = [.. decided.Where(line => line.Stands).Take(MaxDrawn).Reverse().Select(PastTest.From)];
        if (past.Length == 0)
            return null;
        return new(running is null ? past : [.. past, PastTest.From(running)]);
    }

    /// <summary>A stretch of a page's line.</summary>
    public sealed record Line(string Tone, string Path, bool IsKept, bool IsOver);

    /// <summary>What stands below a test.</summary>
    public sealed record Label(double X, double Y, string Name, string Words);

    public double Height { get; }
    public IReadOnlyList<Line> Lines => _lines;

    /// <summary>Where pages that did not beat the other end.</summary>
    public IReadOnlyList<(double X, double Y, string Tone)> Ends => _ends;
    public IReadOnlyList<Label> Labels => _labels;

    /// <summary>How many characters fit below a test.</summary>
    public int LabelLength { get; }

    /// <param name="tests">The oldest first; at most the last of them may be running.</param>
    public HistoryChart(IReadOnlyList<PastTest> tests)
    {
        var wins = tests.Count(test => test.Kept > 0);
        var most = tests.Max(test => test.Letters.Count - 1 - (test.Kept > 0 ? 1 : 0));
        var slot = (Right - Left) / (tests.Count + (tests[^1].Kept is null ? 0 : 0.35));
        var bottom = Top + wins * LevelHeight;
        Height = bottom + most * ThinHeight + 58;
        LabelLength = (int)(slot / 7.4);
        // A running test's challengers may be above or below: nobody knows yet.
        var (y, tone) = (bottom, "a");
        for (var i = 0; i < tests.Count; i++)
        {
            var test = tests[i];
            var (from, fork) = (Left + i * slot, Left + (i + 0.12) * slot);
            var until = test.Kept is null ? Right : Left + (i + 0.8) * slot;
            var next = test.Kept is not null && i + 1 < tests.Count ? from + slot : Right;
            _labels.Add(new(from, Height - 30, test.Name, test.Words));
            DrawLosers(test, y, fork, until);
            if (test.Kept is not > 0)
            {
                _lines.Add(new(tone, $"M{At(from)} {At(y)}H{At(next)}", true, test.Kept is null));
                continue;
            }
            _lines.Add(new(tone, $"M{At(from)} {At(y)}H{At(until)}", true, false));
            _ends.Add((until, y, tone));
            tone = test.Letters[test.Kept.Value].ToLowerInvariant();
            _lines.Add(new(tone, Branch(fork, y, y - LevelHeight, until), false, false));
            y -= LevelHeight;
            _lines.Add(new(tone, $"M{At(until)} {At(y)}H{At(next)}", true, false));
        }
    }

    private void DrawLosers(PastTest test, double level, double fork, double until)
    {
        var down = level;
        for (var page = 1; page < test.Letters.Count; page++)
        {
            if (page == test.Kept)
                continue;
            down += ThinHeight;
            var tone = test.Letters[page].ToLowerInvariant();
            _lines.Add(new(tone, Branch(fork, level, down, until), false, false));
            if (test.Kept is not null)
                _ends.Add((until, down, tone));
        }
    }

    private static string Branch(double x, double from, double to, double until) =>
        $"M{At(x)} {At(from)}C{At(x + 14)} {At(from)} {At(x + 14)} {At(to)} {At(x + 30)} {At(to)}H{At(until)}";

    private static string At(double place) => Format.At(place);
}
