using CsCheck;
using Wexil.Core.Assignments;
using Wexil.Core.Simulation;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.SplitTests;

public sealed class TestDesignTests
{
    [Theory]
    [InlineData("50/50", 1)]
    [InlineData("25/25/25/25", 1)]
    [InlineData("90/10", 2.78)] // 0.25 / 0.09
    [InlineData("95/5", 5.26)]
    [InlineData("60/20/20", 1.11)] // an uneven split costs with three pages too
    [InlineData("37/21/21/21", 0.933)] // four pages end sooner with more on the control
    public void A_split_costs_what_the_challenger_with_the_fewest_visitors_waits(string weights, double cost) =>
        Assert.Equal(cost, TestDesign.Cost(Weights.Parse(weights)), 0.005);

    [Fact]
    public void A_page_that_gets_nobody_is_never_compared() =>
        Assert.Equal(double.PositiveInfinity, TestDesign.Cost(Weights.Create(50, 50, 0)));

    [Theory]
    [InlineData(2, "50/50")]
    [InlineData(3, "42/29/29")]
    [InlineData(4, "37/21/21/21")]
    public void The_control_gets_more_where_several_are_compared_with_it(int pages, string soonest) =>
        Assert.Equal(soonest, TestDesign.Soonest(pages).ToString());

    [Fact]
    public void No_other_split_ends_sooner() =>
        Gen.Int[2, 6]
            .SelectMany(pages => Gen.Int[1, 100].Array[pages])
            .Sample(parts =>
            {
                var sum = parts.Sum();
                var exact = parts.Select(part => part * 100.0 / sum).ToArray();
                var weights = Weights.Create(Wexil.Core.Common.LargestRemainder.Round(exact, 100));
                // A hundredth, for weights are whole percents.
                Assert.True(TestDesign.Cost(weights) >= TestDesign.Cost(TestDesign.Soonest(parts.Length)) * 0.99);
            });

    [Theory]
    [InlineData(2)]
    [InlineData(4)]
    public void Leaning_costs_time_and_a_lower_floor_more_of_it(int pages)
    {
        double[] costs = [.. new[] { 1, 5, 20, 100 }.Select(floor => LeaningForecast.Cost(0.1, 0.2, pages, floor))];
        Assert.Equal(costs.OrderDescending(), costs);
        Assert.InRange(costs[1], 1.2, 6);
        Assert.Equal(1, costs[^1], 0.01);
    }

    // Against tests in which chance has its part, their weights following every five hundred visitors.
    [Theory]
    [InlineData(2)]
    [InlineData(3)]
    public void Leaning_costs_what_simulated_tests_take(int pages)
    {
        const int runs = 12;
        var taken = Enumerable.Range(0, runs).AsParallel().Select(run => Leaning(pages, new Random(run))).ToArray();
        var even = Planner.PlannedTotal(0.1, 0.2, pages);
        var forecast = LeaningForecast.Cost(0.1, 0.2, pages, floor: 5);
        Assert.InRange(taken.Average() / even, forecast * 0.85, forecast * 1.2);
    }

    private static double Leaning(int pages, Random random)
    {
        const int step = 500;
        var needed = Planner.PlannedTotal(0.1, 0.2, pages) / (2 * pages);
        var (weights, arms, weighed) = (Weights.Even(pages), new Arm[pages], new double[pages]);
        while (weighed.Skip(1).Min() < needed)
        {
            var came = new int[pages];
            for (var i = 0; i < step; i++)
            {
                var page = weights.PageAt(random.NextDouble());
                came[page]++;
                arms[page] += new Arm(1, random.NextDouble() < (page == pages - 1 ? 0.12 : 0.1) ? 1 : 0);
            }
            for (var page = 1; page < pages; page++)
                weighed[page] += came[0] + came[page] == 0 ? 0 : (double)came[0] * came[page] / (came[0] + came[page]);
            var (chances, _) = RatePosterior.Compare([.. arms.Select(arm => new RatePosterior(arm))]);
            weights = AdaptiveWeights.Compute(chances, 5, Weights.Even(pages));
        }
        return arms.Sum(arm => arm.Visitors);
    }
}
