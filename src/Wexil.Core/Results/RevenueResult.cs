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

/// <summary>The figures of a test by earned per visitor, refunds taken off.</summary>
/// <param name="Margin">The smallest difference worth finding, in the currency's smallest unit a visitor.</param>
public sealed record RevenueResult(TestFacts Facts, IReadOnlyList<MoneyPage> Pages, double Margin)
{
    /// <summary>What is to be known from this look on; null where what is known stays.</summary>
    public RevenueBase? Learned { get; private init; }

    /// <summary>By which looks are judged; before anything is fixed, by what is seen now.</summary>
    public LookRule Rule => new(Margin, Plan);

    private SamplingPlan? Plan { get; init; }

    /// <summary>The page that the others are compared with.</summary>
    public MoneyPage Control => Pages[Facts.Control];

    /// <summary>All pages but the control.</summary>
    public IEnumerable<MoneyPage> Challengers => Pages.Where(page => !page.IsControl);

    /// <summary>
    /// A page of which one buyer brought more than a fifth, or three more than half, and how much; null where there is
    /// none.
    /// </summary>
    public (TestPage Page, int Buyers, double Share)? Decided { get; private init; }

    /// <summary>
    /// As how many buyers alike the revenue of the page with the fewest is worth: from 25 on, nobody can have brought
    /// more than a fifth.
    /// </summary>
    public double FewestBuyers => Pages.Min(page => page.Total.EffectiveBuyers);

    /// <param name="phases">By phase and page.</param>
    /// <param name="known">What was fixed at the first look that saw enough; null before, and then nothing is called.
    /// </param>
    /// <param name="past">What earlier looks were sure of, by page.</param>
    /// <param name="beside">As of the other sections on the page, by money.</param>
    /// <param name="large">By page, the buyers who brought most; null where they are not known.</param>
    public static RevenueResult From(
        TestFacts facts,
        IReadOnlyList<IReadOnlyList<RevenueSample>> phases,
        RevenueBase? known,
        IReadOnlyList<PastLooks> past,
        IReadOnlyList<double>? beside = null,
        IReadOnlyList<LargeBuyers>? large = null
    )
    {
        RevenueSample[] totals =
        [
            .. facts.Pages.Select(
                (_, page) => phases.Aggregate(new RevenueSample(), (sum, phase) => sum + phase[page])
            ),
        ];
        var estimates = Differences(facts, phases);
        var margin = (known?.Earned ?? Math.Max(1, totals[facts.Control].Mean)) * facts.SmallestLift;
        var plan = RevenueBase.PlanFor(facts, known?.Spread, margin);
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
        var seen = RevenueBase.SpreadOf(estimates);
        return new(facts, [.. facts.Pages.Select(PageOf)], margin)
        {
            Plan = plan ?? (known is null ? RevenueBase.PlanFor(facts, seen, margin) : null),
            Decided = FewWhoDecide(facts, totals, large ?? []),
            Learned = RevenueBase.Learn(facts, totals, seen, known, comparisons),
        };
    }

    private static Estimate?[] Differences(TestFacts facts, IReadOnlyList<IReadOnlyList<RevenueSample>> phases)
    {
        Estimate? Against(int page) =>
            Phases.DifferenceOfMeans(phases.Select(phase => (phase[facts.Control], phase[page])));
        return [.. facts.Pages.Select((_, page) => page == facts.Control ? null : Against(page))];
    }

    private static (TestPage Page, int Buyers, double Share)? FewWhoDecide(
        TestFacts facts,
        RevenueSample[] totals,
        IReadOnlyList<LargeBuyers> large
    )
    {
        for (var page = 0; page < large.Count; page++)
            if (large[page].Deciding(totals[page].Sum, AlwaysValidTest.MinConversions) is var (buyers, share))
                return (facts.Pages[page], buyers, share);
        return null;
    }
}
