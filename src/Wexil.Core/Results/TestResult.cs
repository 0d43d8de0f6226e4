using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>How a page stands in its test.</summary>
/// <param name="Total">The sums over all phases, as counted.</param>
/// <param name="Standard">The rate with all phases counting alike for every page; that of the sums where there is one
/// phase.</param>
/// <param name="Rate">95% interval of <paramref name="Standard"/>; null while the page had nobody.</param>
/// <param name="Loss">What keeping it is expected to lose against the best of the others, in rate.</param>
/// <param name="AgainstControl">Null for the control itself, and while the two share no phase with visitors on
/// both.</param>
public sealed record PageResult(
    TestPage Page,
    bool IsControl,
    Arm Total,
    StandardRate Standard,
    Interval? Rate,
    double ChanceBest,
    double Loss,
    Comparison? AgainstControl
)
{
    /// <summary>
    /// What is known about the page's true rate. Computed anew each time: thousands of results are kept in memory, and
    /// hardly one is drawn.
    /// </summary>
    public RatePosterior Density() => new(Standard);
}

/// <summary>The figures of a test at one moment, computed from its facts alone.</summary>
public sealed record TestResult(TestFacts Facts, IReadOnlyList<PageResult> Pages, double SplitP)
{
    /// <summary>The accepted chance of a false call, where no rule says another.</summary>
    public const double Alpha = 0.05;

    /// <summary>The page that the others are compared with.</summary>
    public PageResult Control => Pages[Facts.Control];

    /// <summary>By which looks are judged.</summary>
    public LookRule Rule => new(Facts.BaseRate * Facts.SmallestLift, Facts.Plan);

    /// <summary>All pages but the control.</summary>
    public IEnumerable<PageResult> Challengers => Pages.Where(page => !page.IsControl);

    /// <summary>The pages' rates are not those of the sums, because the test had several phases.</summary>
    public bool IsStandardized => Pages.Any(page => Math.Abs(page.Standard.Rate - page.Total.Rate) > 1e-9);

    /// <summary>All pages together, as counted.</summary>
    public Arm Total => Pages.Aggregate(new Arm(), (sum, page) => sum + page.Total);

    /// <summary>Computes all figures; the same facts give the same figures.</summary>
    public static TestResult From(TestFacts facts)
    {
        Arm[] totals =
        [
            .. facts.Pages.Select((_, i) => facts.Phases.Aggregate(new Arm(), (sum, phase) => sum + phase.Arms[i])),
        ];
        var differences = Differences(facts);
        var standard = PhaseStandardization.Rates(
            [.. facts.Phases.Select(phase => phase.Arms)],
            facts.Control,
            differences
        );
        RatePosterior[] densities = [.. standard.Select(rate => new RatePosterior(rate))];
        var (chances, losses) = RatePosterior.Compare(densities);
        var comparisons = ChallengerComparisons.Compute(
            differences,
            facts.Control,
            page => totals[page].Conversions >= AlwaysValidTest.MinConversions,
            new LookRule(facts.BaseRate * facts.SmallestLift, facts.Plan),
            facts.Alpha,
            facts.Past,
            facts.Beside
        );
        PageResult PageOf(TestPage page, int i) =>
            new(
                page,
                i == facts.Control,
                totals[i],
                standard[i],
                totals[i].Visitors == 0 ? null : WilsonInterval.Compute(standard[i]),
                chances[i],
                losses[i],
                comparisons[i]
            );
        return new(facts, [.. facts.Pages.Select(PageOf)], SplitPOf(facts));
    }

    private static Estimate?[] Differences(TestFacts facts)
    {
        Estimate? Against(int page) =>
            Phases.Difference(facts.Phases.Select(phase => new PhasePair(phase.Arms[facts.Control], phase.Arms[page])));
        return [.. facts.Pages.Select((_, page) => page == facts.Control ? null : Against(page))];
    }

    private static double SplitPOf(TestFacts facts)
    {
        IReadOnlyList<(long, double)> Split(PhaseFacts phase) =>
            [.. phase.Arms.Select((arm, i) => (arm.Visitors, (double)phase.Weights[i]))];
        return SampleRatioMismatch.Compute(facts.Phases.Select(Split)).P;
    }
}
