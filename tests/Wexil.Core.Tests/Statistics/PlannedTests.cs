using CsCheck;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Statistics;

/// <summary>The rule of tests with a plan, beyond the values of R.</summary>
public sealed class PlannedTests
{
    private static readonly SamplingPlan Plan = SamplingPlan.ForLift(0.1, 0.2, PlannedSize.PlannedDrift(2));

    [Theory]
    [InlineData(0.005, 0.2)]
    [InlineData(0.03, 0.1)]
    [InlineData(0.3, 0.2)]
    public void The_plan_for_two_pages_was_the_textbooks_sample_and_is_an_eighth_and_a_little_more(
        double rate,
        double lift
    )
    {
        var each = Planner.VisitorsPerPage(rate, rate * (1 + lift));
        double Times(double drift) => 2 * SamplingPlan.ForLift(rate, lift, drift).Weight / each;
        Assert.InRange(Times(PlannedSize.FormerDrift(2)), 0.98, 1.02);
        // 1.1256 by R for looking all the time, and 2% for hours between looks.
        Assert.InRange(Times(PlannedSize.PlannedDrift(2)), 1.1256 * 1.02 * 0.98, 1.1256 * 1.02 * 1.02);
    }

    [Fact]
    public void The_chance_of_crossing_is_what_a_walk_of_small_steps_does() =>
        Gen.Select(Gen.Double[0.5, 3], Gen.Double[-2, 4], Gen.Double[0, 1], Gen.Double[0.1, 1])
            .AlwaysHolds(
                (line, drift, variance, time) =>
                {
                    var chance = FirstPassage.Chance(line, drift, variance, time);
                    // Not less than ending beyond it, not less than in a shorter time, and not more than certain.
                    var spread = Math.Sqrt(time + variance * time * time);
                    Assert.InRange(chance, Confidence.Normal((drift * time - line) / spread), 1);
                    Assert.InRange(FirstPassage.Chance(line, drift, variance, time * 0.9), 0, chance);
                    // A drift that is known up to an error is the average over it.
                    var deviation = Math.Sqrt(variance);
                    var average = Enumerable
                        .Range(0, 400)
                        .Average(i =>
                            FirstPassage.Chance(line, drift + deviation * Confidence.Quantile((i + 0.5) / 400), 0, time)
                        );
                    Assert.Equal(average, chance, 0.002);
                }
            );

    [Fact]
    public void What_is_reached_is_certain_and_nothing_is_reached_in_no_time()
    {
        Assert.Equal(1, FirstPassage.Chance(0, -3, 1, 1));
        Assert.Equal(0, FirstPassage.Chance(0.1, 3, 1, 0));
    }

    [Theory]
    [InlineData(0.1, 0.2)]
    [InlineData(0.4, 0.3)]
    public void A_goal_of_which_fewer_is_better_is_planned_for_the_lower_rate(double rate, double less)
    {
        var (others, lift) = Planner.OfOthers(rate, less);
        var each = Planner.VisitorsPerPage(rate, rate * (1 - less));
        Assert.Equal(each, Planner.VisitorsPerPage(others, Planner.BetterRate(others, lift)), each * 1e-9);
        Assert.InRange(2 * SamplingPlan.ForLift(others, lift, PlannedSize.FormerDrift(2)).Weight / each, 0.98, 1.02);
    }

    [Fact]
    public void Several_challengers_need_more_each_and_the_clock_grows_with_the_weight()
    {
        var (two, four) = (Plan, SamplingPlan.ForLift(0.1, 0.2, PlannedSize.PlannedDrift(4)));
        Assert.Equal(four.Weight / two.Weight, four.Variance / two.Variance, 12);
        var more = PlannedSize.Factor(0.8, 0.05, 3) / PlannedSize.Factor(0.8, 0.05, 1);
        Assert.Equal(more, four.Weight / two.Weight, 9);
        // Before, α alone was shared.
        Assert.Equal(1.334, Math.Pow(PlannedSize.FormerDrift(4) / PlannedSize.FormerDrift(2), 2), 3);
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

    [Fact]
    public void Pages_alike_are_called_in_less_than_alpha_and_the_planned_lift_with_the_planned_power()
    {
        var drift = PlannedSize.Drift(0.8, 0.05, 1);
        var times = CallTimes.At(0.05, drift);
        Assert.InRange(2 * times.Chance(0), 0.035, 0.05);
        // The open part finds a little more.
        Assert.InRange(times.Chance(drift), 0.8, 0.82);
        Assert.InRange(CallTimes.At(0.05 / 3, drift).Chance(0) * 2, 0.01, 0.05 / 3);
    }

    [Fact]
    public void The_later_a_page_is_called_the_less_of_what_it_shows_is_to_be_expected()
    {
        var times = CallTimes.At(0.05, PlannedSize.FormerDrift(2));
        var line = PlannedTest.Line(0.05);
        double[] shares = [.. new[] { 0.4, 0.6, 0.8, 1 }.Select(now => times.Expected(now, line) * now / line)];
        Assert.Equal(shares.OrderDescending(), shares);
        Assert.InRange(shares[0], 0.9, 1);
        Assert.InRange(shares[^1], 0.3, 0.7);
        // Far beyond the line it is believed.
        Assert.InRange(times.Expected(0.8, 6) * 0.8 / 6, 0.97, 1.01);
    }
}
