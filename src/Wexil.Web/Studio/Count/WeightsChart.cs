using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.SplitTests;

namespace Wexil.Web.Studio.Count;

/// <summary>
/// The weights of a test over time: a column for each phase, as wide as it was long. Phases too short to be seen share
/// a column, which has their mean; weights that follow the evidence begin one an hour.
/// </summary>
public sealed class WeightsChart
{
    public const double Width = 860,
        Height = 130,
        Left = 52,
        Right = 846;

    /// <summary>The width from which a phase has a column of its own.</summary>
    public const double OwnColumn = 8;

    private const double Top = 8,
        Bottom = 104;

    /// <summary>What a page had of the visitors of a column.</summary>
    /// <param name="Percent">0 to 100.</param>
    public sealed record Piece(string Letter, double Y, double Height, double Percent);

    /// <summary>A phase, or several short ones.</summary>
    public sealed record Column(double X, double Width, IReadOnlyList<Piece> Pieces)
    {
        public string Words => string.Join(", ", Pieces.Select(piece => $"{piece.Letter} {piece.Percent:0}%"));
    }

    /// <summary>What was set for a stretch of time.</summary>
    /// <param name="From">In the drawing's units; so is the other.</param>
    private readonly record struct Stretch(double From, double Until, Weights Weights)
    {
        public double Width => Until - From;
    }

    public IReadOnlyList<Column> Columns { get; private init; } = [];
    public string From { get; private init; } = "";
    public string Until { get; private init; } = "";
    public string Words { get; private init; } = "";

    /// <summary>Null where the weights never changed.</summary>
    public static WeightsChart? Create(IEnumerable<Phase> all, DateTimeOffset now, Func<DateTimeOffset, string> say)
    {
        Phase[] phases = [.. all.Where(phase => phase.StartedAt < now)];
        if (phases.Select(phase => phase.Weights).Distinct().Count() < 2)
            return null;
        var (from, until) = (phases[0].StartedAt, End(phases[^1]));
        double X(DateTimeOffset moment) => Left + (moment - from) / (until - from) * (Right - Left);
        DateTimeOffset End(Phase phase) => phase.EndedAt is { } ended && ended < now ? ended : now;
        var stretches = phases.Select(phase => new Stretch(X(phase.StartedAt), X(End(phase)), phase.Weights));
        return new()
        {
            Columns = [.. Together(stretches).Select(Draw)],
            From = say(from),
            Until = until >= now ? "now" : say(until),
            Words = $"from {phases[0].Weights} to {phases[^1].Weights}",
        };
    }

    /// <summary>Puts short stretches that follow one another together, until they have the width of a column.</summary>
    private static List<List<Stretch>> Together(IEnumerable<Stretch> stretches)
    {
        var columns = new List<List<Stretch>>();
        foreach (var stretch in stretches)
        {
            if (
                columns is [.., [var first, ..] open]
                && IsShort(stretch.Width)
                && IsShort(open[^1].Until - first.From)
                // A pause stays to be seen.
                && stretch.From <= open[^1].Until
            )
                open.Add(stretch);
            else
                columns.Add([stretch]);
        }
        return columns;
    }

    private static bool IsShort(double width) => width < OwnColumn;

    private static Column Draw(List<Stretch> column)
    {
        var whole = column.Sum(stretch => stretch.Width);
        double Share(int page, Stretch stretch) => page < stretch.Weights.Count ? stretch.Weights[page] : 0;
        double Mean(int page) =>
            whole > 0 ? column.Sum(stretch => Share(page, stretch) * stretch.Width) / whole : Share(page, column[^1]);
        var pieces = new List<Piece>();
        var y = Top;
        for (var page = 0; page < column.Max(stretch => stretch.Weights.Count); page++)
        {
            var percent = Mean(page);
            var height = percent / Weights.Total * (Bottom - Top);
            if (height > 0)
                pieces.Add(new(PageLetter.At(page), y, height, percent));
            y += height;
        }
        return new(column[0].From, Math.Max(0.5, column[^1].Until - column[0].From), pieces);
    }
}
