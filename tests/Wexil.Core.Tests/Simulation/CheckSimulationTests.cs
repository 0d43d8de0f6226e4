using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using static Wexil.Tests.OnePhase;

namespace Wexil.Core.Tests.Simulation;

/// <summary>
/// Whole checks of four weeks, looked at once a day: a tenth of 2,000 visitors a day on the page replaced.
/// </summary>
[Trait("Pace", "slow")]
public sealed class CheckSimulationTests
{
    private const int Runs = 100,
        PerDay = 2000;
    private const double Rate = 0.1;
    private static readonly CheckPlan Plan = new(10, 4, TakesBack: true);

    private readonly record struct Ended(bool IsTakenBack, MeasuredUplift Measured);

    [Fact]
    public void A_page_as_good_as_the_one_it_replaced_is_seldom_taken_back() =>
        Assert.InRange(Simulate(lift: 0).Count(check => check.IsTakenBack), 0, Runs * 0.05);

    [Fact]
    public void A_page_that_is_worse_is_taken_back() =>
        Assert.InRange(Simulate(lift: -0.2).Count(check => check.IsTakenBack), Runs * 0.8, Runs);

    [Theory]
    [InlineData(0)]
    [InlineData(0.1)]
    [InlineData(0.3)]
    public void What_is_measured_is_the_truth_within_its_range(double lift)
    {
        var checks = Simulate(lift);
        var lifts = checks.Select(check => check.Measured.Lift!.Value).Order().ToArray();
        Assert.InRange(lifts[Runs / 2], lift - 0.015, lift + 0.015);
        var truth = Rate * lift;
        Assert.InRange(checks.Count(check => check.Measured.Range!.Value.Contains(truth)), Runs * 0.94, Runs);
    }

    private static Ended[] Simulate(double lift) =>
        [.. Enumerable.Range(0, Runs).AsParallel().AsOrdered().Select(run => Once(lift, new Random(run)))];

    private static Ended Once(double lift, Random random)
    {
        var plan = SamplingPlan.ForLift(Rate, Plan.LiftFound(Rate, PerDay)!.Value, PlannedSize.PlannedDrift(2));
        Arm[] arms = [new(), new()];
        PastLooks[] past = [PastLooks.None, PastLooks.None];
        TestResult result = null!;
        for (var day = 0; day < Plan.Lasts.TotalDays; day++)
        {
            arms[0] += Come(PerDay * (100 - Plan.Share) / 100, Rate * (1 + lift), random);
            arms[1] += Come(PerDay * Plan.Share / 100, Rate, random);
            result = TestResult.From(Facts(arms) with { Phases = [new([90, 10], arms)], Plan = plan, Past = past });
            var look = result.Pages[1].AgainstControl!;
            past[1] = past[1].With(look);
            var verdict = CheckRule.Apply(result, null, onMoney: false);
            if (CheckRule.Decide(new(new(1), Plan.TakesBack), result, verdict, isOver: false) is RuleDecision.Keep)
                return new(true, MeasuredUplift.From(result)!);
        }
        return new(false, MeasuredUplift.From(result)!);
    }

    private static Arm Come(int visitors, double rate, Random random)
    {
        var conversions = 0L;
        for (var i = 0; i < visitors; i++)
            if (random.NextDouble() < rate)
                conversions++;
        return new(visitors, conversions);
    }
}
