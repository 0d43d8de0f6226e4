using Wexil.App.Wording;

namespace Wexil.Web.Studio.Keep;

/// <summary>A test as it is drawn in a step's history.</summary>
/// <param name="Letters">Its pages in order.</param>
/// <param name="Kept">The place of the page that was kept; null while it runs.</param>
/// <param name="Words">What came of it, in two short lines.</param>
public sealed record PastTest(IReadOnlyList<string> Letters, int? Kept, string Name, string Words);

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

    /// <summary>A stretch of a page's line.</summary>
    public sealed record Line(string Tone, string Path, bool IsKept, bool IsOver);

    public sealed record Label(double X, double Y, string Name, string Words);

    public double Height { get; }
    public IReadOnlyList<Line> Lines { get; }

    /// <summary>Where pages that did not beat the other end.</summary>
    public IReadOnlyList<(double X, double Y, string Tone)> Ends { get; }
    public IReadOnlyList<Label> Labels { get; }

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
        var (lines, ends, labels) = (new List<Line>(), new List<(double, double, string)>(), new List<Label>());
        // A running test's challengers may be above or below: nobody knows yet.
        var (y, tone) = (bottom, "a");
        for (var i = 0; i < tests.Count; i++)
        {
            var test = tests[i];
            var (from, fork) = (Left + i * slot, Left + (i + 0.12) * slot);
            var until = test.Kept is null ? Right : Left + (i + 0.8) * slot;
            labels.Add(new(from, Height - 30, test.Name, test.Words));
            if (test.Kept is { } kept && kept > 0)
            {
                lines.Add(new(tone, $"M{At(from)} {At(y)}H{At(until)}", true, false));
                ends.Add((until, y, tone));
                var up = y - LevelHeight;
                var better = test.Letters[kept].ToLowerInvariant();
                lines.Add(new(better, Branch(fork, y, up, until), false, false));
                Losers(test, kept, y, fork, until);
                (y, tone) = (up, better);
                lines.Add(
                    new(tone, $"M{At(until)} {At(y)}H{At(i + 1 < tests.Count ? from + slot : Right)}", true, false)
                );
                continue;
            }
            Losers(test, 0, y, fork, until);
            lines.Add(
                new(
                    tone,
                    $"M{At(from)} {At(y)}H{At(test.Kept is null ? Right : i + 1 < tests.Count ? from + slot : Right)}",
                    true,
                    test.Kept is null
                )
            );
        }
        (Lines, Ends, Labels) = (lines, ends, labels);

        void Losers(PastTest test, int kept, double level, double fork, double until)
        {
            var below = 0;
            for (var page = 1; page < test.Letters.Count; page++)
            {
                if (page == kept)
                    continue;
                var down = level + ++below * ThinHeight;
                var own = test.Letters[page].ToLowerInvariant();
                lines.Add(new(own, Branch(fork, level, down, until), false, false));
                if (test.Kept is not null)
                    ends.Add((until, down, own));
            }
        }
    }

    private static string Branch(double x, double from, double to, double until) =>
        $"M{At(x)} {At(from)}C{At(x + 14)} {At(from)} {At(x + 14)} {At(to)} {At(x + 30)} {At(to)}H{At(until)}";

    private static string At(double place) => Format.At(place);
}
