using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>
/// A segment's visitors and what they did or brought: for each phase of the test, in the order of its pages.
/// </summary>
/// <typeparam name="T"><see cref="Arm"/> or <see cref="RevenueSample"/>.</typeparam>
public sealed record Segment<T>(string Name, IReadOnlyList<IReadOnlyList<T>> Phases);

/// <summary>A page's visitors in a segment.</summary>
/// <param name="Value">The rate, or what each visitor brought, with all phases counting alike for every page.</param>
/// <param name="Lift">Against the control's in the segment; null for the control, and where the two cannot be
/// compared.</param>
/// <param name="P">Always-valid, adjusted for every comparison of the table; 1 while there is not enough.</param>
public sealed record SegmentCell<T>(T Sum, double Value, double? Lift, double P);

/// <param name="IsSmall">Some page has too few conversions or buyers in it to say anything.</param>
public sealed record SegmentRow<T>(string Name, long Visitors, IReadOnlyList<SegmentCell<T>> Cells, bool IsSmall);

/// <summary>
/// The pages of a test compared within segments. Whoever searches many segments finds something by chance, so Holm's
/// adjustment goes over all comparisons of the table at once.
/// </summary>
public sealed record SegmentTable<T>(IReadOnlyList<SegmentRow<T>> Rows, int Comparisons);

/// <summary>Computes how the pages of a test do among different visitors.</summary>
public static class SegmentTable
{
    /// <summary>The accepted chance of one false mark over all groups together.</summary>
    public const double Alpha = 0.05;

    /// <summary>By the rates of the pages.</summary>
    /// <param name="control">Index of the control among the pages.</param>
    /// <param name="smallestLift">The smallest lift worth finding, as a share of the rate, above 0.</param>
    public static SegmentTable<Arm> FromRates(IReadOnlyList<Segment<Arm>> segments, int control, double smallestLift) =>
        FromRates(
            segments,
            control,
            smallestLift,
            new Kind<Arm>(
                (a, b) => a + b,
                arm => arm.Visitors,
                arm => arm.Conversions,
                arms => arms.Aggregate(new Arm(), (sum, arm) => sum + arm).Rate,
                pairs => Phases.Difference(pairs.Select(pair => new PhasePair(pair.A, pair.B))),
                (phases, from, differences) =>
                    [.. PhaseStandardization.Rates(phases, from, differences).Select(rate => rate.Rate)]
            )
        );

    /// <summary>By what each visitor brought.</summary>
    public static SegmentTable<RevenueSample> FromMoney(
        IReadOnlyList<Segment<RevenueSample>> segments,
        int control,
        double smallestLift
    ) =>
        FromRates(
            segments,
            control,
            smallestLift,
            new Kind<RevenueSample>(
                (a, b) => a + b,
                revenue => revenue.Visitors,
                revenue => revenue.EffectiveBuyers,
                all => all.Aggregate(new RevenueSample(), (sum, revenue) => sum + revenue).Mean,
                Phases.DifferenceOfMeans,
                (phases, from, differences) =>
                    [.. PhaseStandardization.Means(phases, from, differences).Select(revenue => revenue.Mean)]
            )
        );

    private static SegmentTable<T> FromRates<T>(
        IReadOnlyList<Segment<T>> segments,
        int control,
        double smallestLift,
        Kind<T> kind
    )
        where T : struct
    {
        var compared = segments.Select(segment => Compare(segment, control, smallestLift, kind)).ToArray();
        var adjusted = new Queue<double>(Holm.Adjust([.. compared.SelectMany(row => row.Raw.OfType<double>())]));
        var rows = compared
            .Select(row =>
                row.Row with
                {
                    Cells =
                    [
                        .. row.Row.Cells.Select(
                            (cell, i) => row.Raw[i] is null ? cell : cell with { P = adjusted.Dequeue() }
                        ),
                    ],
                }
            )
            .OrderByDescending(row => row.Visitors)
            .ToArray();
        return new(rows, compared.Sum(row => row.Raw.Count(p => p is not null)));
    }

    private static (SegmentRow<T> Row, double?[] Raw) Compare<T>(
        Segment<T> segment,
        int control,
        double smallestLift,
        Kind<T> kind
    )
        where T : struct
    {
        var pages = segment.Phases[0].Count;
        var sums = Enumerable
            .Range(0, pages)
            .Select(page => segment.Phases.Aggregate(default(T), (sum, phase) => kind.Add(sum, phase[page])))
            .ToArray();
        var raw = new double?[pages];
        var tau = kind.Mean(sums) * smallestLift;
        var differences = sums.Select(
                (_, page) =>
                    page == control
                        ? null
                        : kind.Difference(segment.Phases.Select(phase => (phase[control], phase[page])))
            )
            .ToArray();
        var values = kind.Values(segment.Phases, control, differences);
        var cells = sums.Select(
                (sum, page) =>
                {
                    if (values[control] <= 0 || differences[page] is not { } estimate)
                        return new SegmentCell<T>(sum, values[page], null, 1);
                    if (tau > 0 && IsEnough(sum) && IsEnough(sums[control]))
                        raw[page] = AlwaysValidTest.At(estimate, tau).P;
                    return new SegmentCell<T>(sum, values[page], estimate.Difference / values[control], 1);
                }
            )
            .ToArray();
        return (new(segment.Name, sums.Sum(kind.Visitors), cells, !sums.All(IsEnough)), raw);

        bool IsEnough(T sum) => kind.Met(sum) >= AlwaysValidTest.MinConversions;
    }

    /// <summary>How what visitors did, or brought, is added up and compared.</summary>
    private sealed record Kind<T>(
        Func<T, T, T> Add,
        Func<T, long> Visitors,
        Func<T, double> Met,
        Func<IEnumerable<T>, double> Mean,
        Func<IEnumerable<(T A, T B)>, Estimate?> Difference,
        Func<IReadOnlyList<IReadOnlyList<T>>, int, IReadOnlyList<Estimate?>, IReadOnlyList<double>> Values
    );
}
