using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>A challenger against the control, by the peek-safe rule over all phases.</summary>
/// <param name="Difference">Challenger minus control, combined within phases: of the rates, or of what a visitor
/// brings.</param>
/// <param name="Interval">Always-valid interval of the difference; null until both pages have enough for one.</param>
/// <param name="P">Always-valid p, adjusted for the number of challengers; 1 until there is enough.</param>
/// <param name="Raw">The same by itself; null until there is enough.</param>
public sealed record Comparison(double Difference, Interval? Interval, double P, double? Raw = null)
{
    /// <summary>
    /// How sure the always-valid rule is that the two differ as they seem, 0 to 1; null until there is enough to say
    /// anything.
    /// </summary>
    public double? Confidence => Raw is null ? null : 1 - P;
}

/// <summary>
/// The smallest always-valid p of the looks so far, while the challenger was ahead and while it was behind.
/// </summary>
public readonly record struct PastLooks(double Ahead, double Behind)
{
    /// <summary>What was sure stays sure as long as the page is on the same side.</summary>
    internal double On(Estimate now) => now.Difference > 0 ? Ahead : Behind;

    /// <summary>No look before.</summary>
    public static readonly PastLooks None = new(1, 1);

    /// <summary>With one look more.</summary>
    public PastLooks With(Comparison look) =>
        look.Raw is not { } p ? this
        : look.Difference > 0 ? this with { Ahead = Math.Min(Ahead, p) }
        : this with { Behind = Math.Min(Behind, p) };
}

/// <summary>Compares each challenger with the control, with Holm's adjustment over the challengers.</summary>
public static class AlwaysValidComparison
{
    /// <param name="estimates">By page; null for the control, and where it cannot be compared.</param>
    /// <param name="isEnough">Has the page seen enough to be compared?</param>
    /// <param name="tau">The smallest lift worth finding times the base value, in the unit of the difference, above
    /// 0.</param>
    /// <param name="past">By page; empty for no looks.</param>
    /// <param name="beside">Always-valid p's of comparisons elsewhere that are adjusted together with these.</param>
    public static Comparison?[] Compute(
        IReadOnlyList<Estimate?> estimates,
        int control,
        Func<int, bool> isEnough,
        double tau,
        double alpha,
        IReadOnlyList<PastLooks> past,
        IReadOnlyList<double> beside
    )
    {
        var challengers = Enumerable.Range(0, estimates.Count).Where(page => page != control).ToArray();
        double? PNow(int page) =>
            estimates[page] is { } estimate && isEnough(page) && isEnough(control)
                ? Math.Min(AlwaysValidTest.At(estimate, tau).P, page < past.Count ? past[page].On(estimate) : 1)
                : null;
        double?[] raw = [.. challengers.Select(PNow)];
        double[] values = [.. raw.Select(p => p ?? 1), .. beside];
        var adjusted = Holm.Adjust(values);
        var called = adjusted.Count(p => p <= alpha);

        var comparisons = new Comparison?[estimates.Count];
        for (var k = 0; k < challengers.Length; k++)
        {
            if (estimates[challengers[k]] is not { } estimate)
                continue;
            // The level at which Holm stopped: so that no interval excludes zero beside "too early", and none of a
            // called page includes it.
            var rank = values.Where((p, other) => p < values[k] || (p == values[k] && other < k)).Count();
            var level = alpha / Math.Max(1, values.Length - Math.Min(rank, called));
            Interval? interval = raw[k] is null ? null : AlwaysValidTest.At(estimate, tau, level).Difference;
            if (interval is { } wide && adjusted[k] <= alpha)
                interval = OnOneSide(wide, estimate.Difference);
            comparisons[challengers[k]] = new(estimate.Difference, interval, adjusted[k], raw[k]);
        }
        return comparisons;
    }

    private static Interval OnOneSide(Interval wide, double difference) =>
        difference > 0 ? new(Math.Max(0, wide.Low), wide.High) : new(wide.Low, Math.Min(0, wide.High));
}
