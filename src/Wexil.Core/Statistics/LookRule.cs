namespace Wexil.Core.Statistics;

/// <summary>By which rule the looks at a difference are judged; fixed when a test starts.</summary>
/// <param name="Tau">The smallest lift worth finding times the base value, in the unit of the difference. Above 0.
/// </param>
/// <param name="Plan">Null for a test that began before tests had one, and where none can be told yet: then the
/// always-valid rule alone judges.</param>
public sealed record LookRule(double Tau, SamplingPlan? Plan)
{
    /// <summary>
    /// The drift that the plan is made for: how far the smallest lift worth finding moves the sum until the plan's end,
    /// in standard deviations at its end. 0 without a plan.
    /// </summary>
    public double Drift => Plan is { } plan ? Tau * plan.Weight / Math.Sqrt(plan.Variance) : 0;

    /// <summary>What one look sees.</summary>
    /// <param name="alpha">Accepted chance of a false call, between 0 and 1.</param>
    /// <param name="end">What the last look of the plan saw; null while it lasts.</param>
    public RuledLook At(Estimate estimate, double alpha, PlanEnd? end)
    {
        if (Plan is not { } plan)
        {
            var open = AlwaysValidTest.At(estimate, Tau, alpha);
            return new(open.P, open.Difference, null, (open.Difference.High - open.Difference.Low) / 2);
        }
        var look = PlannedTest.At(estimate, Tau, plan, alpha, end);
        return new(look.P, look.Difference, look.Progress, look.Asked);
    }
}

/// <summary>What one look sees, by whichever rule.</summary>
/// <param name="P">To be held against α.</param>
/// <param name="Difference">The interval that goes with it.</param>
/// <param name="Progress">How much of the plan is done; null without one.</param>
/// <param name="Asked">How large the difference would have to be for a call now.</param>
public readonly record struct RuledLook(double P, Interval Difference, double? Progress, double Asked);
