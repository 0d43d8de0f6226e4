using MathNet.Numerics.RootFinding;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>
/// When a test ends: at the latest with its plan, and earlier where a page is called. All screens that say how much is
/// still to come say it by this. It follows from the plan, from where each page stands, and from the weights that
/// visitors come by now.
/// </summary>
public static class EndForecast
{
    /// <summary>
    /// The share of tests that end before the range, and the share that end after it, by what each has shown so far. As
    /// simulated, the end lies in the range in more than 80% of them (<c>wexil rehearse --calibrate</c>).
    /// </summary>
    private const double Outside = 0.07;

    /// <summary>
    /// By how many standard deviations of the conversions to come a plan may end later than it should.
    /// </summary>
    private const double Late = 1.5;

    /// <summary>Nobody waits for so many times the visitors that have come.</summary>
    private const double MostTimes = 1e9;

    /// <summary>Visitors over all pages until every page that gets visitors has had its plan.</summary>
    /// <param name="compared">By page; null for the control, and where nothing can be compared yet.</param>
    /// <param name="rule">That of the test, with a plan.</param>
    /// <param name="weights">By page, in percent of the test's visitors.</param>
    /// <returns>Infinite while nothing can be compared, because the control or all others get nobody.</returns>
    public static double PlanEnd(
        IReadOnlyList<Comparison?> compared,
        int control,
        LookRule rule,
        IReadOnlyList<int> weights
    ) => Latest(Ways(compared, control, rule, SamplingPlan.Alpha, weights));

    /// <summary>What would settle the test; null while nothing can be compared.</summary>
    /// <param name="alpha">That of the test.</param>
    /// <param name="rate">How many conversions, or buyers alike, a visitor brings: above 0.</param>
    /// <param name="least">Visitors that have to come before anything is called, 0 or more.</param>
    /// <inheritdoc cref="PlanEnd"/>
    public static (double Least, double Most)? Range(
        IReadOnlyList<Comparison?> compared,
        int control,
        LookRule rule,
        double alpha,
        IReadOnlyList<int> weights,
        double rate,
        double least = 0
    )
    {
        var ways = Ways(compared, control, rule, alpha, weights);
        var end = Latest(ways);
        if (double.IsInfinity(end))
            return null;
        // A page that is beyond the line already is called as soon as there is enough to compare.
        double Quantile(double share) =>
            Ended(ways, 0) >= share ? 0
            : Ended(ways, end) <= share ? end
            : Bisection.FindRoot(at => Ended(ways, at) - share, 0, end, end * 1e-4);
        var most = Quantile(1 - Outside);
        // The plan goes by the conversions that come, and not by the visitors.
        if (most == end)
            most *= 1 + Late / Math.Sqrt(Math.Max(1, end * rate));
        return (Math.Max(least, Quantile(Outside)), Math.Max(least, most));
    }

    /// <summary>
    /// Visitors over all pages until a difference as it is now would be called by the rule that never ends: after a
    /// plan, and in tests without one.
    /// </summary>
    /// <param name="challenger">The one that would be called.</param>
    /// <param name="share">Of α, what that rule has.</param>
    /// <param name="gain">As <see cref="ShareOf"/> tells it of the challenger.</param>
    /// <returns>Null while the challenger cannot be compared.</returns>
    public static double? IfItStays(Comparison challenger, LookRule rule, double share, double gain)
    {
        if (challenger.Seen is not { Weight: > 0, Variance: > 0 } seen || gain <= 0)
            return null;
        var spread = seen.Sum.Variance / seen.Weight;
        var difference = Math.Max(Math.Abs(seen.Difference), rule.Tau);
        double Missing(double logOfWeight)
        {
            var weight = Math.Exp(logOfWeight);
            var look = AlwaysValidTest.At(new(difference, spread / weight, weight), rule.Tau, challenger.Level * share);
            return look.Difference.Low;
        }
        var (from, to) = (Math.Log(seen.Weight), Math.Log(seen.Weight) + Math.Log(MostTimes));
        return Missing(from) >= 0 ? 0
            : Missing(to) <= 0 ? double.PositiveInfinity
            : (Math.Exp(Brent.FindRoot(Missing, from, to, 1e-6)) - seen.Weight) / gain;
    }

    /// <summary>What a visitor of the test adds to the weight of a page's comparison with the control.</summary>
    public static double ShareOf(IReadOnlyList<int> weights, int control, int page)
    {
        double own = weights[page] / (double)Weights.Total,
            others = weights[control] / (double)Weights.Total;
        return own > 0 && others > 0 ? own * others / (own + others) : 0;
    }

    private static PlanWay[] Ways(
        IReadOnlyList<Comparison?> compared,
        int control,
        LookRule rule,
        double alpha,
        IReadOnlyList<int> weights
    )
    {
        // Holm's first step asks the most of the page that is called first.
        var level = alpha / Math.Max(1, compared.Count - 1);
        return
        [
            .. Enumerable
                .Range(0, compared.Count)
                .Where(page => page != control)
                .Select(page => PlanWay.Of(compared[page], rule, alpha, level, ShareOf(weights, control, page))),
        ];
    }

    private static double Latest(PlanWay[] ways) =>
        // A page that rests stays where it is.
        ways.Where(way => way.Progress >= 1 || way.Gain > 0)
            .Select(way => way.Left)
            .DefaultIfEmpty(double.PositiveInfinity)
            .Max();

    /// <summary>
    /// The chance that so many visitors end the test: one page is called better, or each is called worse or surely
    /// level.
    /// </summary>
    private static double Ended(PlanWay[] ways, double visitors)
    {
        (double Better, double Worse, double Level)[] chances = [.. ways.Select(way => way.Chances(visitors))];
        var noneBetter = All([.. chances.Select(chance => 1 - chance.Better)]);
        var allSettled = All([.. chances.Select(chance => Math.Min(1, chance.Worse + chance.Level))]);
        return Math.Min(1, 1 - noneBetter + allSettled);
    }

    /// <summary>
    /// The chance that something is so of all pages. They share the control, so it lies between that of pages that have
    /// nothing in common and that of the least likely page.
    /// </summary>
    private static double All(double[] chances) =>
        Math.Sqrt(chances.Aggregate(1.0, (product, chance) => product * chance) * chances.Min());
}
