using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>A challenger against the control, by the test's rule over all phases.</summary>
/// <param name="Difference">Challenger minus control, combined within phases: of the rates, or of what a visitor
/// brings.</param>
/// <param name="Interval">Of the difference, at whatever moment one looks; null until both pages have enough for one.
/// </param>
/// <param name="P">Valid at whatever moment one looks, adjusted for the number of challengers; 1 until there is
/// enough.</param>
/// <param name="Raw">The same by itself; null until there is enough.</param>
public sealed record Comparison(double Difference, Interval? Interval, double P, double? Raw = null)
{
    /// <summary>
    /// How sure the rule is that the two differ as they seem, 0 to 1; null until there is enough to say
    /// anything.
    /// </summary>
    public double? Confidence => Raw is null ? null : 1 - P;

    /// <summary>What it rests on.</summary>
    public Estimate Seen { get; init; }

    /// <summary>The share of α that it is held to.</summary>
    public double Level { get; init; }

    /// <summary>How much of the plan is done, 1 at its end; null without a plan, and until there is enough.</summary>
    public double? Progress { get; init; }

    /// <summary>This look is the last of the plan, and sees this; null for all others.</summary>
    public PlanEnd? Ends { get; init; }

    /// <summary>
    /// What is to be expected of a page that is called better: less than it shows, because a page is called at a moment
    /// when it stands well. Null for all others, and without a plan.
    /// </summary>
    public double? Expected { get; init; }

    /// <summary>
    /// The evidence by itself, as a share of what a call asks for: at 1 or above, and at −1 or below, the page is
    /// called. Null until there is enough.
    /// </summary>
    public double? Evidence { get; init; }
}

/// <summary>
/// The smallest p of the looks so far, while the challenger was ahead and while it was behind.
/// </summary>
public readonly record struct PastLooks(double Ahead, double Behind)
{
    /// <summary>What the last look of the plan saw; null while it lasts, and without one.</summary>
    public PlanEnd? End { get; init; }

    /// <summary>The most of the plan that was done at a look.</summary>
    public double Progress { get; init; }

    /// <summary>How much of the plan was done when it was first called better; null while it was not.</summary>
    public double? Called { get; init; }

    /// <summary>What was sure stays sure as long as the page is on the same side.</summary>
    internal double On(Estimate now) => now.Difference > 0 ? Ahead : Behind;

    /// <summary>No look before.</summary>
    public static readonly PastLooks None = new(1, 1);

    /// <summary>With one look more.</summary>
    public PastLooks With(Comparison look)
    {
        if (look.Raw is not { } p)
            return this;
        var isAhead = look.Difference > 0;
        return this with
        {
            Ahead = isAhead ? Math.Min(Ahead, p) : Ahead,
            Behind = isAhead ? Behind : Math.Min(Behind, p),
            End = End ?? look.Ends,
            Progress = Math.Max(Progress, look.Progress ?? 0),
            Called = Called ?? (look.Expected is null ? null : look.Progress),
        };
    }
}

/// <summary>Compares each challenger with the control, with Holm's adjustment over the challengers.</summary>
public static class ChallengerComparisons
{
    /// <param name="estimates">By page; null for the control, and where it cannot be compared.</param>
    /// <param name="isEnough">Has the page seen enough to be compared?</param>
    /// <param name="rule">By which looks are judged.</param>
    /// <param name="past">By page; empty for no looks.</param>
    /// <param name="beside">p's of comparisons elsewhere that are adjusted together with these.</param>
    public static Comparison?[] Compute(
        IReadOnlyList<Estimate?> estimates,
        int control,
        Func<int, bool> isEnough,
        LookRule rule,
        double alpha,
        IReadOnlyList<PastLooks> past,
        IReadOnlyList<double> beside
    )
    {
        var challengers = Enumerable.Range(0, estimates.Count).Where(page => page != control).ToArray();
        PastLooks PastOf(int page) => page < past.Count ? past[page] : PastLooks.None;
        double? PNow(int page) =>
            estimates[page] is { } estimate && isEnough(page) && isEnough(control)
                ? Math.Min(rule.At(estimate, alpha, PastOf(page).End).P, PastOf(page).On(estimate))
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
            comparisons[challengers[k]] = raw[k] is null
                ? new(estimate.Difference, null, adjusted[k]) { Seen = estimate, Level = level }
                : Compared(estimate, rule, level, PastOf(challengers[k]), (raw[k], adjusted[k], adjusted[k] <= alpha));
        }
        return comparisons;
    }

    /// <param name="level">The share of α that the page is held to.</param>
    private static Comparison Compared(
        Estimate estimate,
        LookRule rule,
        double level,
        PastLooks past,
        (double? Raw, double Adjusted, bool IsCalled) p
    )
    {
        var look = rule.At(estimate, level, past.End);
        return new(
            estimate.Difference,
            p.IsCalled ? OnOneSide(look.Difference, estimate.Difference) : look.Difference,
            p.Adjusted,
            p.Raw
        )
        {
            Seen = estimate,
            Level = level,
            // With uneven weights the variance seen may become less; what was done stays done.
            Progress = look.Progress is { } now ? Math.Max(now, past.Progress) : null,
            Ends = look.Progress >= 1 && past.End is null ? new(estimate.Difference, estimate.Variance) : null,
            Evidence = estimate.Difference / look.Asked,
            Expected =
                p.IsCalled && estimate.Difference > 0 && rule.Plan is { } plan
                    ? Expected(estimate, plan, rule.Drift, past.Called, level)
                    : null,
        };
    }

    private static double Expected(Estimate estimate, SamplingPlan plan, double planned, double? called, double level)
    {
        var (progress, end) = (plan.Progress(estimate), Math.Sqrt(plan.Variance));
        // After the plan nobody looks for the best moment any more, and what is seen can be believed.
        if ((called ?? progress) > 1)
            return estimate.Difference;
        var drift = CallTimes.At(level, planned).Expected(progress, estimate.Sum.Difference / end);
        // By the plan's end the weights are as much more as its variance is.
        return drift * end * progress / estimate.Weight;
    }

    private static Interval OnOneSide(Interval wide, double difference) =>
        difference > 0 ? new(Math.Max(0, wide.Low), wide.High) : new(wide.Low, Math.Min(0, wide.High));
}
