using Wexil.Core.Evidence;

namespace Wexil.Core.Verdicts;

/// <summary>How a page stands in its test.</summary>
/// <param name="Rate">95% interval of the page's own rate; null while it had nobody.</param>
/// <param name="Density">What the counts say about the page's true rate.</param>
/// <param name="Loss">What keeping it is expected to lose against the best of the others, in rate.</param>
/// <param name="AgainstControl">Null for the control itself, and while the two share no phase with visitors on both.</param>
public sealed record PageStanding(TestPage Page, bool IsControl, Arm Total, Interval? Rate, RateDensity Density, double ChanceBest, double Loss, Comparison? AgainstControl);

/// <summary>The figures of a test at one moment, computed from its facts alone.</summary>
public sealed record TestStanding(TestFacts Facts, IReadOnlyList<PageStanding> Pages, double SplitP)
{
    public const double Alpha = 0.05;

    public PageStanding Control => Pages[Facts.Control];

    public IEnumerable<PageStanding> Challengers => Pages.Where(page => !page.IsControl);

    public Arm Total => Pages.Aggregate(new Arm(), (sum, page) => sum + page.Total);

    public static TestStanding Of(TestFacts facts)
    {
        var totals = facts.Pages.Select((_, i) => facts.Phases.Aggregate(new Arm(), (sum, phase) => sum + phase.Arms[i])).ToArray();
        RateDensity[] densities = [.. totals.Select(total => new RateDensity(total))];
        var (chances, losses) = RateDensity.Compare(densities);
        var comparisons = Compare(facts, totals);
        var pages = facts.Pages.Select((page, i) => new PageStanding(
            page, i == facts.Control, totals[i], totals[i].Visitors == 0 ? null : WilsonInterval.Of(totals[i]), densities[i], chances[i], losses[i], comparisons[i]));
        var splitP = SampleRatio.Of(facts.Phases.Select(phase =>
            (IReadOnlyList<(long, double)>)[.. phase.Arms.Select((arm, i) => (arm.Visitors, (double)phase.Weights[i]))])).P;
        return new(facts, [.. pages], splitP);
    }

    private static Comparison?[] Compare(TestFacts facts, Arm[] totals)
    {
        var estimates = facts.Pages.Select((_, i) => i == facts.Control ? null
            : Phases.Difference(facts.Phases.Select(phase => new PhasePair(phase.Arms[facts.Control], phase.Arms[i])))).ToArray();
        return PeekSafeComparison.Of(estimates, facts.Control, page => totals[page].Conversions >= PeekSafe.LeastConversions, facts.BaseRate * facts.SmallestLift, facts.Alpha, facts.Past);
    }
}
