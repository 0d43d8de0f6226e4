using CsCheck;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using static Wexil.Tests.OnePhase;

namespace Wexil.Core.Tests.Results;

/// <summary>
/// How much is still to come. How often the range told is right is simulated (<c>CalibrationTests</c>).
/// </summary>
public sealed class EndForecastTests
{
    private const double Rate = 0.1,
        Lift = 0.2;

    [Theory]
    [InlineData("50/50")]
    [InlineData("80/20")]
    [InlineData("34/33/33")]
    [InlineData("70/20/10")]
    public void Before_anybody_came_it_is_what_was_said_when_the_test_was_planned(string split)
    {
        var weights = Weights.Parse(split);
        var planned = Planner.PlannedTotal(Rate, Lift, weights.Count) * TestDesign.Cost(weights);
        var rule = RuleFor(weights.Count);
        Assert.Equal(planned, PlanEnd(new Comparison?[weights.Count], rule, weights), planned * 1e-9);
    }

    [Fact]
    public void What_has_come_is_taken_off_and_what_comes_counts_by_the_weights_of_now()
    {
        var rule = RuleFor(2);
        var plan = Planner.PlannedTotal(Rate, Lift, 2);
        var half = (long)(plan / 4);
        var compared = Compared(rule, new(half, half / 10), new(half, half / 10));
        var left = PlanEnd(compared, rule, Weights.Even(2));
        Assert.InRange(left / plan, 0.5, 0.62);
        // A tenth on B: a visitor tells 0.09 instead of 0.25.
        Assert.Equal(left * 0.25 / 0.09, PlanEnd(compared, rule, Weights.Create(90, 10)), left * 1e-6);
        Assert.True(double.IsInfinity(PlanEnd(compared, rule, Weights.Create(100, 0))));
        Assert.True(double.IsInfinity(PlanEnd(compared, rule, Weights.Create(0, 100))));
    }

    [Fact]
    public void A_page_that_rests_is_not_waited_for()
    {
        var rule = RuleFor(3);
        var compared = Compared(rule, new(2000, 200), new(2000, 210), new(200, 20));
        var withIt = PlanEnd(compared, rule, Weights.Create(40, 40, 20));
        var without = PlanEnd(compared, rule, Weights.Create(50, 50, 0));
        Assert.True(without < withIt, $"{without} of {withIt}");
    }

    [Fact]
    public void A_range_is_no_wider_than_the_plan_and_the_page_that_is_further_ahead_ends_it_sooner() =>
        Gen.Select(Gen.Int[300, 1900], Gen.Double[-0.3, 0.3])
            .AlwaysHolds(
                (visitors, lift) =>
                {
                    var rule = RuleFor(2);
                    Forecastable At(double ahead)
                    {
                        var converted = (long)(visitors * Rate);
                        var compared = Compared(
                            rule,
                            new(visitors, converted),
                            new(visitors, (long)(converted * (1 + ahead)))
                        );
                        return new(
                            PlanEnd(compared, rule, Weights.Even(2)),
                            EndForecast.Range(compared, 0, rule, 0.05, Weights.Even(2).Percent, Rate)!.Value
                        );
                    }
                    var (end, range) = At(lift);
                    Assert.InRange(range.Least, 0, range.Most);
                    Assert.InRange(range.Most, 0, end * (1 + 1.5 / Math.Sqrt(Math.Max(1, end * Rate))) + 1e-6);
                    if (lift > 0.1)
                        Assert.True(At(lift + 0.05).Range.Least <= range.Least + end * 0.001);
                }
            );

    [Fact]
    public void Nothing_ends_before_every_page_has_enough_to_be_compared()
    {
        var facts = Planned([new(100, 10), new(100, 95)]);
        var forecast = Assert.IsType<Verdict.TooFewConversions>(VerdictRule.Apply(TestResult.From(facts))).Expected!;
        // A needs 15 more at 52.5%, and gets half of the visitors: 57.
        Assert.Equal((60, 60), (forecast.Least, forecast.Most));
    }

    [Fact]
    public void While_nothing_can_be_compared_nothing_is_foretold()
    {
        var facts = Planned([new(1000, 100), new(1000, 110)]);
        var resting = facts with { Phases = [.. facts.Phases, new([100, 0], [new(10, 1), new(0, 0)])] };
        Assert.Null(VerdictRule.Apply(TestResult.From(resting)).Forecast);
    }

    [Theory]
    [InlineData(2, 10, 40)]
    [InlineData(101, 100, 110)]
    [InlineData(1_234_567, 1_200_000, 1_300_000)]
    public void Both_ends_are_rounded_outward_to_two_digits(double visitors, long least, long most) =>
        Assert.Equal(
            (least, most),
            (Forecast.Create(visitors, 1, 0).Least, Forecast.Create(1, visitors is 2 ? 31 : visitors, 0).Most)
        );

    [Fact]
    public void Progress_never_runs_backwards()
    {
        var rule = RuleFor(2);
        // With uneven weights the variance seen falls when the difference does.
        var before = Compared(rule, new(9000, 900), new(1000, 160))[1]!;
        var past = PastLooks.None.With(before);
        var after = ComparedAfter(past, rule, new(9100, 1010), new(1010, 112))[1]!;
        Assert.True(rule.Plan!.Value.Progress(after.Seen) < before.Progress);
        Assert.Equal(before.Progress, after.Progress);
    }

    [Fact]
    public void A_page_ahead_of_the_one_to_keep_is_told_with_what_it_still_needs()
    {
        // B is sure of being better than A; C is ahead of both, with few visitors.
        var facts = Planned([new(3000, 300), new(3000, 420), new(300, 50)]) with
        {
            Phases = [new([48, 47, 5], [new(3000, 300), new(3000, 420), new(300, 50)])],
        };
        var better = Assert.IsType<Verdict.Better>(VerdictRule.Apply(TestResult.From(facts)));
        Assert.Equal(("B", "C"), (better.Page.Letter, better.Unsettled!.Value.Page.Letter));
        Assert.True(better.Unsettled.Value.Expected!.Most > 0);
        Assert.Equal(("B", true), (better.Stakes!.Page.Letter, better.Stakes.Confidence >= 0.95));
    }

    [Theory]
    // At the plan's end a call asks for 2.33 standard errors, and a single look would ask for 1.96.
    [InlineData(470, 526, false)]
    [InlineData(470, 531, true)]
    public void At_the_plans_end_a_lead_that_one_look_would_have_called_is_close(long a, long b, bool isClose)
    {
        var facts = Planned([new(4700, a), new(4700, b)]);
        var over = Assert.IsType<Verdict.PlanOver>(VerdictRule.Apply(TestResult.From(facts)));
        Assert.Equal((isClose, "B"), (over.IsClose, over.Likelier.Letter));
    }

    private readonly record struct Forecastable(double End, (double Least, double Most) Range);

    private static LookRule RuleFor(int pages) =>
        new(Rate * Lift, SamplingPlan.ForLift(Rate, Lift, PlannedSize.PlannedDrift(pages)));

    private static TestFacts Planned(Arm[] arms) => Facts(arms) with { Plan = RuleFor(arms.Length).Plan };

    private static double PlanEnd(Comparison?[] compared, LookRule rule, Weights weights) =>
        EndForecast.PlanEnd(compared, 0, rule, weights.Percent);

    private static Comparison?[] Compared(LookRule rule, params Arm[] arms) =>
        ComparedAfter(PastLooks.None, rule, arms);

    private static Comparison?[] ComparedAfter(PastLooks past, LookRule rule, params Arm[] arms) =>
        ChallengerComparisons.Compute(
            [null, .. arms.Skip(1).Select(arm => Phases.Difference([new(arms[0], arm)]))],
            0,
            page => arms[page].Conversions >= AlwaysValidTest.MinConversions,
            rule,
            0.05,
            [PastLooks.None, .. arms.Skip(1).Select(_ => past)],
            []
        );
}
