using Wexil.Core.Evidence;

namespace Wexil.Core.Verdicts;

/// <summary>A segment's arms: for each phase of the test, in the order of its pages.</summary>
public sealed record SegmentArms(string Name, IReadOnlyList<IReadOnlyList<Arm>> Phases);

/// <summary>A page's visitors in a segment.</summary>
/// <param name="Lift">Against the control's rate in the segment; null for the control, and where the two cannot be compared.</param>
/// <param name="P">Always-valid, adjusted for every comparison of the table; 1 while there is not enough.</param>
public sealed record SegmentCell(Arm Arm, double? Lift, double P);

/// <param name="IsSmall">Some page has too few conversions in it to say anything.</param>
public sealed record SegmentRow(string Name, Arm Total, IReadOnlyList<SegmentCell> Cells, bool IsSmall);

/// <summary>
/// The pages of a test compared within segments. Whoever searches many segments finds something by chance, so Holm's adjustment goes
/// over all comparisons of the table at once.
/// </summary>
public sealed record SegmentTable(IReadOnlyList<SegmentRow> Rows, int Comparisons)
{
    public const double Alpha = 0.05;

    /// <param name="control">Index of the control among the pages.</param>
    /// <param name="smallestLift">The smallest lift worth finding, as a share of the rate, above 0.</param>
    public static SegmentTable Of(IReadOnlyList<SegmentArms> segments, int control, double smallestLift)
    {
        var compared = segments.Select(segment => Compare(segment, control, smallestLift)).ToArray();
        var adjusted = new Queue<double>(Holm.Adjust([.. compared.SelectMany(row => row.Raw.OfType<double>())]));
        var rows = compared.Select(row => row.Row with
        {
            Cells = [.. row.Row.Cells.Select((cell, i) => row.Raw[i] is null ? cell : cell with { P = adjusted.Dequeue() })],
        }).OrderByDescending(row => row.Total.Visitors).ToArray();
        return new(rows, compared.Sum(row => row.Raw.Count(p => p is not null)));
    }

    private static (SegmentRow Row, double?[] Raw) Compare(SegmentArms segment, int control, double smallestLift)
    {
        var pages = segment.Phases[0].Count;
        var arms = Enumerable.Range(0, pages).Select(page => segment.Phases.Aggregate(new Arm(), (sum, phase) => sum + phase[page])).ToArray();
        var total = arms.Aggregate(new Arm(), (sum, arm) => sum + arm);
        var raw = new double?[pages];
        var cells = arms.Select((arm, page) =>
        {
            if (page == control || arms[control].Conversions == 0 || Phases.Difference(segment.Phases.Select(phase => new PhasePair(phase[control], phase[page]))) is not { } estimate) return new SegmentCell(arm, null, 1);
            var enough = arm.Conversions >= PeekSafe.LeastConversions && arms[control].Conversions >= PeekSafe.LeastConversions;
            if (enough) raw[page] = PeekSafe.At(estimate, total.Rate * smallestLift).P;
            return new SegmentCell(arm, estimate.Difference / arms[control].Rate, 1);
        }).ToArray();
        return (new(segment.Name, total, cells, arms.Any(arm => arm.Conversions < PeekSafe.LeastConversions)), raw);
    }
}
