using Wexil.Core.Evidence;

namespace Wexil.Core.Verdicts;

/// <summary>A challenger against the control, by the peek-safe rule over all phases.</summary>
/// <param name="Difference">Difference of the rates, challenger minus control, combined within phases.</param>
/// <param name="Interval">Always-valid interval of the difference; null until both pages have enough conversions for one.</param>
/// <param name="P">Always-valid p, adjusted for the number of challengers; 1 until there is enough.</param>
public sealed record Comparison(double Difference, Interval? Interval, double P);

/// <summary>How a page stands in its test.</summary>
/// <param name="Rate">95% interval of the page's own rate; null while it had nobody.</param>
/// <param name="Density">What the counts say about the page's true rate.</param>
/// <param name="AgainstControl">Null for the control itself, and while the two share no phase with visitors on both.</param>
public sealed record PageStanding(TestPage Page, bool IsControl, Arm Total, Interval? Rate, RateDensity Density, double ChanceBest, Comparison? AgainstControl);

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
        var chances = RateDensity.ChancesBest(densities);
        var comparisons = Compare(facts, totals);
        var pages = facts.Pages.Select((page, i) => new PageStanding(
            page, i == facts.Control, totals[i], totals[i].Visitors == 0 ? null : WilsonInterval.Of(totals[i]), densities[i], chances[i], comparisons[i]));
        var splitP = SampleRatio.Of(facts.Phases.Select(phase =>
            (IReadOnlyList<(long, double)>)[.. phase.Arms.Select((arm, i) => (arm.Visitors, (double)phase.Weights[i]))])).P;
        return new(facts, [.. pages], splitP);
    }

    private static Comparison?[] Compare(TestFacts facts, Arm[] totals)
    {
        var tau = facts.BaseRate * facts.SmallestLift;
        var estimates = facts.Pages.Select((_, i) => i == facts.Control ? null
            : Phases.Difference(facts.Phases.Select(phase => new PhasePair(phase.Arms[facts.Control], phase.Arms[i])))).ToArray();
        bool Enough(int page) => totals[page].Conversions >= PeekSafe.LeastConversions && totals[facts.Control].Conversions >= PeekSafe.LeastConversions;

        var challengers = Enumerable.Range(0, facts.Pages.Count).Where(i => i != facts.Control).ToArray();
        var raw = challengers.Select(i => estimates[i] is { } estimate && Enough(i) ? PeekSafe.At(estimate, tau).P : 1).ToArray();
        var adjusted = Holm.Adjust(raw);
        var called = adjusted.Count(p => p <= Alpha);

        var comparisons = new Comparison?[facts.Pages.Count];
        for (var k = 0; k < challengers.Length; k++)
        {
            if (estimates[challengers[k]] is not { } estimate) continue;
            // The level at which Holm stopped: so that no interval excludes zero beside "too early", and none of a called page includes it.
            var rank = raw.Where((p, other) => p < raw[k] || (p == raw[k] && other < k)).Count();
            var level = Alpha / Math.Max(1, challengers.Length - Math.Min(rank, called));
            Interval? interval = Enough(challengers[k]) ? PeekSafe.At(estimate, tau, level).Difference : null;
            comparisons[challengers[k]] = new(estimate.Difference, interval, adjusted[k]);
        }
        return comparisons;
    }
}
