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
    /// The plan by money, as large as the orders' differences ask for; null while they are not known, and without a
    /// plan.
    /// </summary>
    /// <param name="margin">The smallest difference worth finding, above 0.</param>
    internal static SamplingPlan? PlanFor(TestFacts facts, double? spread, double margin) =>
        spread is not > 0 ? null
        : facts.Drift is { } drift ? SamplingPlan.ForSpread(spread.Value, margin, drift)
        : facts.Plan?.ForMoney(spread.Value);

    /// <summary>
    /// The variance by unit of weight, averaged over the challengers; null while none can be compared.
    /// </summary>
    internal static double? SpreadOf(IEnumerable<Estimate?> estimates) =>
        estimates.OfType<Estimate>().Select(estimate => (double?)estimate.Sum.Variance / estimate.Weight).Average();

    /// <summary>
    /// What is to be known from a look on; null where what is known stays. It comes from all pages together
    /// (<see cref="BlindedRate"/>); of a test that began before plans went by it, from its control.
    /// </summary>
    internal static RevenueBase? Learn(
        TestFacts facts,
        RevenueSample[] totals,
        double? spread,
        RevenueBase? known,
        Comparison?[] comparisons
    )
    {
        if (known is not null && !(facts.Drift is not null && BlindedRate.IsFollowed(comparisons)))
            return null;
        if (totals.Any(total => total.EffectiveBuyers < AlwaysValidTest.MinConversions))
            return null;
        var all = totals.Aggregate((sum, total) => sum + total).Mean;
        return new(
            facts.Drift is null
                ? totals[facts.Control].Mean
                : BlindedRate.Control(all, totals.Length, facts.SmallestLift),
            facts.Plan is null ? null : spread
        );
    }
}
