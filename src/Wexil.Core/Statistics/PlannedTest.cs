namespace Wexil.Core.Statistics;

/// <summary>What the last look of the plan saw, which stays as it was.</summary>
/// <param name="Variance">Of the difference.</param>
public readonly record struct PlanEnd(double Difference, double Variance);

/// <summary>
/// A test that is as fast as a single look at the end of its plan, while one looks as often as one likes. Four fifths
/// of α go to the plan, and the rest to going on after it by the always-valid rule.
/// </summary>
/// <remarks>
/// The weighted sum of the differences is a martingale whatever the weights did, and its own variance is its clock. By
/// the reflection principle, it is twice as probable that the sum is ever as far from 0 as some line before the clock
/// strikes as that it is there at the end. Sources: P. O'Brien and T. Fleming, "A multiple testing procedure for
/// clinical trials", Biometrics 35 (1979), for the straight line; K. Lan and D. DeMets, "Discrete sequential boundaries
/// for clinical trials", Biometrika 70 (1983), for looks at any time.
/// </remarks>
public static class PlannedTest
{
    /// <summary>Of α, what is left for going on after the plan.</summary>
    internal const double OpenShare = 0.2;

    private const double PlannedShare = 1 - OpenShare;

    /// <summary>One look at a difference.</summary>
    /// <param name="tau">As for <see cref="AlwaysValidTest.At"/>.</param>
    /// <param name="alpha">Accepted chance of a false call, between 0 and 1.</param>
    /// <param name="end">What the last look of the plan saw; null while the plan lasts. The first look at or past its
    /// end is its last.</param>
    public static PlannedLook At(Estimate estimate, double tau, SamplingPlan plan, double alpha, PlanEnd? end)
    {
        var open = AlwaysValidTest.At(estimate, tau, alpha * OpenShare);
        var progress = plan.Progress(estimate);
        if (estimate.Variance <= 0)
            return new(progress, 1, open.P, 1, open.Difference, double.PositiveInfinity);
        // Both sides, and on each a path that was there before and has come back.
        var clock = Math.Max(plan.Variance, estimate.Sum.Variance);
        var planned = end is null
            ? Math.Min(1, 2 * Confidence.TwoSidedP(estimate.Sum.Difference / Math.Sqrt(clock)))
            : 1;
        var half = Line(alpha) * Math.Sqrt(clock) / estimate.Weight;
        var within = end is { } last
            ? Around(last.Difference, Line(alpha) * Math.Sqrt(last.Variance))
            : Around(estimate.Difference, half);
        return new(
            progress,
            planned,
            open.P,
            Math.Min(1, Math.Min(planned / PlannedShare, open.P / OpenShare)),
            Narrower(within, open.Difference),
            end is null ? Math.Min(half, HalfOf(open.Difference)) : HalfOf(open.Difference)
        );
    }

    /// <summary>
    /// How far from 0 the weighted sum has to be while the plan lasts, in standard deviations of its end.
    /// </summary>
    public static double Line(double alpha) => Confidence.Quantile(1 - alpha * PlannedShare / 4);

    private static double HalfOf(Interval interval) => (interval.High - interval.Low) / 2;

    private static Interval Around(double middle, double half) => new(middle - half, middle + half);

    private static Interval Narrower(Interval one, Interval other) =>
        one.High - one.Low <= other.High - other.Low ? one : other;
}

/// <summary>What one look sees.</summary>
/// <param name="Progress">How much of the plan is done, from 0; 1 and more once it is over.</param>
/// <param name="Planned">The p of the plan alone; 1 after its last look.</param>
/// <param name="Open">The p of the always-valid rule alone.</param>
/// <param name="P">Of both together, to be held against α.</param>
/// <param name="Difference">The interval that goes with it.</param>
/// <param name="Asked">How large the difference would have to be for a call now: what the plan saw at its end asks for
/// nothing any more.</param>
public readonly record struct PlannedLook(
    double Progress,
    double Planned,
    double Open,
    double P,
    Interval Difference,
    double Asked
);
