using CsCheck;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Statistics;

/// <summary>The rule of tests with a plan, beyond the values of R.</summary>
public sealed class PlannedTests
{
    private static readonly SamplingPlan Plan = SamplingPlan.ForLift(0.1, 0.2, 2);

    [Theory]
    [InlineData(0.005, 0.2)]
    [InlineData(0.03, 0.1)]
    [InlineData(0.3, 0.2)]
    public void The_plan_for_two_pages_is_the_textbooks_sample(double rate, double lift)
    {
        var each = Planner.VisitorsPerPage(rate, rate * (1 + lift));
        Assert.InRange(2 * SamplingPlan.ForLift(rate, lift, 2).Weight / each, 0.98, 1.02);
    }

    [Theory]
    [InlineData(0.1, 0.2)]
    [InlineData(0.4, 0.3)]
    public void A_goal_of_which_fewer_is_better_is_planned_for_the_lower_rate(double rate, double less)
    {
        var (others, lift) = Planner.OfOthers(rate, less);
        var each = Planner.VisitorsPerPage(rate, rate * (1 - less));
        Assert.Equal(each, Planner.VisitorsPerPage(others, Planner.BetterRate(others, lift)), each * 1e-9);
        Assert.InRange(2 * SamplingPlan.ForLift(others, lift, 2).Weight / each, 0.98, 1.02);
    }

    [Fact]
    public void Several_challengers_need_more_each_and_the_clock_grows_with_the_weight()
    {
        Assert.Equal(1, Planner.PlannedFactor(2), 12);
        Assert.Equal(1.334, Planner.PlannedFactor(4), 3);
        var (two, four) = (Plan, SamplingPlan.ForLift(0.1, 0.2, 4));
        Assert.Equal(four.Weight / two.Weight, four.Variance / two.Variance, 12);
        Assert.Equal(Planner.PlannedFactor(4), four.Weight / two.Weight, 12);
    }

    [Fact]
    public void The_interval_leaves_zero_out_just_when_the_page_is_called() =>
        Gen.Select(Gen.Int[200, 20_000], Gen.Double[0.05, 0.15], Gen.Double[-0.06, 0.06], Gen.Double[0.001, 0.2])
            .AlwaysHolds(
                (visitors, rate, difference, alpha) =>
                {
                    Arm Of(double share) => new(visitors, (long)(visitors * Math.Clamp(share, 0.001, 1)));
                    var estimate = Phases.Difference([new(Of(rate), Of(rate + difference))])!.Value;
                    var look = PlannedTest.At(estimate, 0.02, Plan, alpha, null);
                    Assert.Equal(look.P <= alpha, look.Difference.Low > 0 || look.Difference.High < 0);
                    Assert.InRange(look.P, 0, 1);
                }
            );

    [Fact]
    public void After_its_last_look_the_plan_says_nothing_new_and_what_it_saw_stays()
    {
        var estimate = Phases.Difference([new(new(9_000, 900), new(9_000, 1_000))])!.Value;
        var last = PlannedTest.At(estimate, 0.02, Plan, 0.05, null);
        Assert.True(last.Progress > 1);
        Assert.True(last.P <= 0.05);
        var end = new PlanEnd(estimate.Difference, estimate.Variance);
        var later = Phases.Difference([new(new(20_000, 2_000), new(20_000, 2_010))])!.Value;
        var after = PlannedTest.At(later, 0.02, Plan, 0.05, end);
        Assert.Equal(1, after.Planned);
        Assert.True(after.P > 0.05);
        // The narrower of what the plan saw at its end and of what the open part sees now.
        var open = AlwaysValidTest.At(later, 0.02, 0.01).Difference;
        var half = PlannedTest.Line(0.05) * Math.Sqrt(end.Variance);
        Assert.Equal(Math.Min(open.High - open.Low, 2 * half), after.Difference.High - after.Difference.Low, 12);
    }

    [Theory]
    [InlineData(1, 1)]
    [InlineData(0.5, 1)]
    [InlineData(2.5, 0.409)]
    public void A_lift_larger_than_planned_takes_a_part_of_the_plan(double times, double share) =>
        Assert.Equal(share, Planner.PlannedShare(times), 3);

    [Fact]
    public void Pages_alike_are_called_in_less_than_alpha_and_the_planned_lift_with_the_planned_power()
    {
        var times = CallTimes.At(0.05);
        Assert.InRange(2 * times.Chance(0), 0.035, 0.05);
        var drift = Confidence.Quantile(0.975) + Confidence.Quantile(0.8);
        Assert.InRange(times.Chance(drift), 0.73, 0.77);
        Assert.InRange(CallTimes.At(0.05 / 3).Chance(0) * 2, 0.01, 0.05 / 3);
    }

    [Fact]
    public void The_later_a_page_is_called_the_less_of_what_it_shows_is_to_be_expected()
    {
        var times = CallTimes.At(0.05);
        var line = PlannedTest.Line(0.05);
        double[] shares = [.. new[] { 0.4, 0.6, 0.8, 1 }.Select(now => times.Expected(now, line) * now / line)];
        Assert.Equal(shares.OrderDescending(), shares);
        Assert.InRange(shares[0], 0.9, 1);
        Assert.InRange(shares[^1], 0.3, 0.7);
        // Far beyond the line it is believed.
        Assert.InRange(times.Expected(0.8, 6) * 0.8 / 6, 0.97, 1.01);
    }
}
