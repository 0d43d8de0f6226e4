using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>How a page stands by what its visitors bring.</summary>
/// <param name="Total">The sums over all phases, as counted.</param>
/// <param name="Standard">The same with all phases counting alike for every page: by it the pages are compared and
/// shown.</param>
/// <param name="Loss">What keeping it is expected to lose a visitor against the best of the others, in the currency's
/// smallest unit.</param>
public sealed record MoneyPage(
    TestPage Page,
    bool IsControl,
    RevenueSample Total,
    RevenueSample Standard,
    double ChanceBest,
    double Loss,
    Comparison? AgainstControl
);

/// <summary>What is fixed at the first look that sees enough of what visitors bring.</summary>
/// <param name="Earned">What a visitor of the control is expected to bring, above 0, in the currency's smallest unit.
/// </param>
/// <param name="Spread">The variance of the weighted sum of differences by unit of weight; null for a test that began
/// before tests had a plan.</param>
public readonly record struct RevenueBase(double Earned, double? Spread);

/// <summary>The figures of a test by earned per visitor, refunds taken off.</summary>
/// <param name="Margin">The smallest difference worth finding, in the currency's smallest unit a visitor.</param>
/// <param name="Spread">The variance of the weighted sum of differences by unit of weight, averaged over the
/// challengers; null while none can be compared.</param>
public sealed record RevenueResult(TestFacts Facts, IReadOnlyList<MoneyPage> Pages, double Margin, double? Spread)
{
    /// <summary>The page that the others are compared with.</summary>
    public MoneyPage Control => Pages[Facts.Control];

    /// <summary>All pages but the control.</summary>
    public IEnumerable<MoneyPage> Challengers => Pages.Where(page => !page.IsControl);

    /// <summary>
    /// A page whose takings come from so few large orders that one more or less would turn them: no visitor may bring
    /// more than a fifth, which holds wherever the takings are worth those of 25 buyers alike.
    /// </summary>
    public MoneyPage? Swayed =>
        Pages.FirstOrDefault(page => page.Total.Sum > 0 && page.Total.EffectiveBuyers < AlwaysValidTest.MinConversions);

    /// <param name="phases">By phase and page.</param>
    /// <param name="known">What was fixed at the first look that saw enough; null before, and then nothing is called.
    /// </param>
    /// <param name="past">What earlier looks were sure of, by page.</param>
    /// <param name="beside">As of the other sections on the page, by money.</param>
    public static RevenueResult From(
        TestFacts facts,
        IReadOnlyList<IReadOnlyList<RevenueSample>> phases,
        RevenueBase? known,
        IReadOnlyList<PastLooks> past,
        IReadOnlyList<double>? beside = null
    )
    {
        RevenueSample[] totals =
        [
            .. facts.Pages.Select(
                (_, page) => phases.Aggregate(new RevenueSample(), (sum, phase) => sum + phase[page])
            ),
        ];
        Estimate? Against(int page) =>
            Phases.DifferenceOfMeans(phases.Select(phase => (phase[facts.Control], phase[page])));
        Estimate?[] estimates = [.. facts.Pages.Select((_, page) => page == facts.Control ? null : Against(page))];
        var margin = (known?.Earned ?? Math.Max(1, totals[facts.Control].Mean)) * facts.SmallestLift;
        var plan = known?.Spread is { } spread ? facts.Plan?.ForMoney(spread) : null;
        var comparisons = ChallengerComparisons.Compute(
            estimates,
            facts.Control,
            page => known is not null && totals[page].EffectiveBuyers >= AlwaysValidTest.MinConversions,
            new LookRule(margin, plan),
            facts.Alpha,
            past,
            beside ?? []
        );
        var standard = PhaseStandardization.Means(phases, facts.Control, estimates);
        var (chances, losses) = MeanPosterior.Compare([.. standard.Select(revenue => new MeanPosterior(revenue))]);
        MoneyPage PageOf(TestPage page, int i) =>
            new(page, i == facts.Control, totals[i], standard[i], chances[i], losses[i], comparisons[i]);
        double[] spreads =
        [
            .. estimates.OfType<Estimate>().Select(estimate => estimate.Sum.Variance / estimate.Weight),
        ];
        return new(facts, [.. facts.Pages.Select(PageOf)], margin, spreads.Length == 0 ? null : spreads.Average());
    }
}
