using Wexil.Core.Assignments;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;

namespace Wexil.Core.Simulation;

/// <summary>
/// What it costs in time to let weights follow the evidence: the page behind gets few visitors, and every comparison
/// needs both. Worked out with results that come exactly as expected.
/// </summary>
public static class LeaningForecast
{
    /// <summary>The weights follow in steps of this share of those who came.</summary>
    private const double Step = 0.05;

    /// <summary>Of the even design’s visitors, how many come before the weights first follow.</summary>
    private const double First = 0.02;

    /// <summary>
    /// How many times as many visitors a test takes as with an even split, until its plan is over: 1 or more. One page
    /// is better by the lift, the others are alike.
    /// </summary>
    /// <param name="baseRate">Strictly between 0 and 1.</param>
    /// <param name="lift">As a share of the base rate, above 0.</param>
    /// <param name="pages">2 or more.</param>
    /// <param name="floor">The least that a page gets, in percent.</param>
    public static double Cost(double baseRate, double lift, int pages, int floor)
    {
        var better = Planner.BetterRate(baseRate, lift);
        double[] rates = [.. Enumerable.Repeat(baseRate, pages - 1), better];
        var even = Planner.PlannedTotal(baseRate, lift, pages);
        var needed = even / (2 * pages);
        var (weights, step) = (Weights.Even(pages), even * First);
        var (came, weighed) = (new double[pages], new double[pages]);
        while (true)
        {
            var shares = weights.Percent.Select(weight => weight / (double)Weights.Total).ToArray();
            // Phases add up: within each the visitors are split as its weights say.
            double Weight(int page) => step * shares[0] * shares[page] / (shares[0] + shares[page]);
            for (var page = 0; page < pages; page++)
            {
                came[page] += step * shares[page];
                weighed[page] += Weight(page);
            }
            var last = Enumerable.Range(1, pages - 1).MinBy(page => weighed[page]);
            if (weighed[last] >= needed)
                return Math.Max(1, (came.Sum() - step * (weighed[last] - needed) / Weight(last)) / even);
            weights = Follow(came, rates, Math.Max(1, floor));
            step = came.Sum() * Step;
        }
    }

    private static Weights Follow(double[] came, double[] rates, int floor)
    {
        var (chances, _) = RatePosterior.Compare([
            .. came.Select((visitors, page) => new RatePosterior(ArmOf(visitors, rates[page]))),
        ]);
        return AdaptiveWeights.Compute(chances, floor, Weights.Even(came.Length));
    }

    private static Arm ArmOf(double visitors, double rate) =>
        new((long)Math.Round(visitors), (long)Math.Round(visitors * rate));
}
