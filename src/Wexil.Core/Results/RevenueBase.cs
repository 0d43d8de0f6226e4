using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>
/// By what the smallest difference worth finding and the plan are measured; known from the first look that sees enough
/// of what visitors bring.
/// </summary>
/// <param name="Earned">What a visitor is expected to bring, above 0, in the currency's smallest unit.</param>
/// <param name="Spread">The variance of the weighted sum of differences by unit of weight; null for a test that began
/// before tests had a plan.</param>
public readonly record struct RevenueBase(double Earned, double? Spread)
{
    /// <summary>
    /// Of the plan, how much may be done while it still follows what is seen: the first orders hardly tell how much
    /// orders differ. Later it is fixed, so that the rule does not move with what it judges.
    /// </summary>
    internal const double Followed = 0.5;

    /// <summary>
    /// The plan by money, as large as the orders' differences ask for; null while they are not known, and without a
    /// plan.
    /// </summary>
    /// <param name="margin">The smallest difference worth finding, above 0.</param>
    internal static SamplingPlan? PlanFor(TestFacts facts, double? spread, double margin) =>
        spread is not > 0 ? null
        : facts.Drift is { } drift ? SamplingPlan.ForSpread(spread.Value, margin, drift)
        : facts.Plan?.ForMoney(spread.Value);

    /// <summary>The variance by unit of weight, averaged over the challengers; null while none can be compared.</summary>
    internal static double? SpreadOf(IEnumerable<Estimate?> estimates) =>
        estimates.OfType<Estimate>().Select(estimate => (double?)estimate.Sum.Variance / estimate.Weight).Average();

    /// <summary>
    /// What is to be known from a look on; null where what is known stays. It comes from all pages together, which
    /// tells nothing of which one is ahead; of a test that began before plans went by it, from its control.
    /// </summary>
    internal static RevenueBase? Learn(
        TestFacts facts,
        RevenueSample[] totals,
        double? spread,
        RevenueBase? known,
        Comparison?[] comparisons
    )
    {
        var isFollowed =
            facts.Drift is not null && comparisons.All(look => look is null || !(look.Progress >= Followed));
        if (known is not null && !isFollowed)
            return null;
        if (totals.Any(total => total.EffectiveBuyers < AlwaysValidTest.MinConversions))
            return null;
        var all = facts.Drift is null ? totals[facts.Control] : totals.Aggregate((sum, total) => sum + total);
        return new(all.Mean, facts.Plan is null ? null : spread);
    }
}
