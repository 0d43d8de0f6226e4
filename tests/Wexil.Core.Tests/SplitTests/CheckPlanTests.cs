using CsCheck;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.SplitTests;

public sealed class CheckPlanTests
{
    private static readonly Gen<CheckPlan> Plans = Gen.Select(
        Gen.Int[CheckPlan.MinShare, CheckPlan.MaxShare],
        Gen.Int[CheckPlan.MinWeeks, CheckPlan.MaxWeeks - 1],
        (share, weeks) => new CheckPlan(share, weeks, true)
    );

    [Fact]
    public void More_weeks_and_a_larger_share_find_less() =>
        Gen.Select(Plans, Gen.Double[0.01, 0.5], Gen.Double[500, 50_000])
            .Sample(
                (plan, rate, perDay) =>
                {
                    if (plan.LiftFound(rate, perDay) is not { } lift)
                        return;
                    Assert.InRange((plan with { Weeks = plan.Weeks + 1 }).LiftFound(rate, perDay)!.Value, 0, lift);
                    Assert.InRange((plan with { Share = plan.Share + 1 }).LiftFound(rate, perDay)!.Value, 0, lift);
                }
            );

    [Fact]
    public void What_it_finds_is_what_a_test_finds_with_as_much_information()
    {
        // 1,000 a day for four weeks, a tenth on the page replaced: as much as 10,080 split evenly.
        var lift = new CheckPlan(10, 4, true).LiftFound(0.1, 1000)!.Value;
        Assert.Equal(10_080, Planner.PlannedTotal(0.1, lift, pages: 2), 0.5);
    }

    [Theory]
    [InlineData(0, false)]
    [InlineData(20, false)]
    [InlineData(60, true)]
    public void It_says_nothing_where_not_even_twice_the_rate_would_be_found(double perDay, bool isFound) =>
        Assert.Equal(isFound, new CheckPlan(10, 4, true).LiftFound(0.1, perDay) is not null);

    [Fact]
    public void The_kept_page_comes_first_and_the_rule_keeps_its_check()
    {
        Assert.Equal([90, 10], CheckPlan.Default.Weights.Percent);
        Assert.Equal(TimeSpan.FromDays(28), CheckPlan.Default.Lasts);
        var rule = new KeepRule(KeepBy.Sure) { Check = new(15, 6, false) };
        Assert.Equal(rule, KeepRule.Parse(rule.ToJson()));
        Assert.Null(KeepRule.Parse("""{"By":"Sure","Days":7}""").Check);
    }
}
