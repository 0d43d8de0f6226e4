using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using static Wexil.Tests.OnePhase;

namespace Wexil.Core.Tests.Results;

/// <summary>Verdicts and rules that go by what visitors bring.</summary>
public sealed class MoneyVerdictTests
{
    private const double Order = 3900;
    private static readonly DateOnly Today = new(2026, 11, 24);

    [Fact]
    public void Each_case_says_that_money_judges_and_with_which_numbers()
    {
        var better = Assert.IsType<Verdict.Better>(ByMoney(500, 700, 600));
        Assert.Equal(("B", "A", true), (better.Page.Letter, better.Control.Letter, better.IsByMoney));
        Assert.Equal(200 * Order / 10_000, better.Gain, 1e-9);
        var best = Assert.IsType<Verdict.ControlBest>(ByMoney(700, 500, 480));
        Assert.Equal(("A", 2, true), (best.Control.Letter, best.Challengers, best.IsByMoney));
        Assert.Equal(VerdictKind.ControlWins, best.Kind);
        var same = Assert.IsType<Verdict.NoDifference>(ByMoneyOf(400_000, [40_000, 40_050]));
        Assert.Equal(("A", true), (same.Control.Letter, same.IsByMoney));
        Assert.Equal(40_000 * Order / 400_000 * 0.2, same.Margin, 1e-9);
        var open = Assert.IsType<Verdict.Undecided>(ByMoney(500, 520, 510));
        Assert.Equal(("B", "A", true), (open.Leader.Letter, open.Control.Letter, open.IsByMoney));
        var ahead = Assert.IsType<Verdict.Undecided>(ByMoney(520, 500, 510));
        Assert.Equal(("A", "A", true), (ahead.Leader.Letter, ahead.Control.Letter, ahead.IsByMoney));
    }

    [Fact]
    public void The_best_of_several_that_are_better_is_kept()
    {
        Assert.Equal("C", ByMoney(500, 650, 700).Keep!.Letter);
        Assert.Equal("B", ByMoney(500, 700, 650).Keep!.Letter);
    }

    [Theory]
    [InlineData(150, 192)]
    [InlineData(192, 150)]
    public void Without_a_plan_a_forecast_is_when_what_visitors_bring_is_called_if_it_stays(long a, long b)
    {
        VerdictKind KindAt(double times) =>
            ByMoneyOf((long)(3000 * times), [(long)(a * times), (long)(b * times)]).Kind;
        var forecast = Assert.IsType<Verdict.Undecided>(ByMoneyOf(3000, [a, b])).Expected!;
        Assert.Equal(forecast.Most / 400.0, forecast.Days!.Value.Most);
        Assert.Equal(VerdictKind.TooEarly, KindAt(1 + forecast.Most * 0.85 / 6000));
        Assert.NotEqual(VerdictKind.TooEarly, KindAt(1 + forecast.Most * 1.05 / 6000));
    }

    [Theory]
    [InlineData(24, false)]
    [InlineData(25, true)]
    public void Few_large_orders_are_told_of_only_where_conversions_would_do_for_a_call(int conversions, bool isTold)
    {
        var facts = Facts([new(5000, 500), new(5000, conversions)]);
        RevenueResult With(params LargeBuyers[] large) =>
            RevenueResult.From(
                facts,
                [
                    [Sold(5000, 200), new(5000, 10 * 90_000.0, 10 * 90_000.0 * 90_000)],
                ],
                new(156, null),
                [],
                [],
                large
            );
        Verdict Said(RevenueResult money) => VerdictRule.Apply(TestResult.From(facts), money, onMoney: true);
        var few = With(new LargeBuyers(200, [3900, 3900, 3900]), new LargeBuyers(40, [190_000, 90_000, 90_000]));
        Assert.Equal(
            isTold ? ("B", 1, 190 / 900.0) : ((string, int, double)?)null,
            Said(few) is Verdict.FewLargeOrders told ? (told.Page.Letter, told.Buyers, told.Share) : null
        );
        // Ten alike: too few, and none of them large.
        var alike = With(new LargeBuyers(200, [3900, 3900, 3900]), new LargeBuyers(10, [90_000, 90_000, 90_000]));
        Assert.Equal(isTold, Said(alike) is Verdict.TooFewBuyers { Least: 10, IsByMoney: true });
    }

    [Fact]
    public void Where_nobody_came_nobody_bought_or_the_numbers_cannot_be_trusted_the_goal_speaks()
    {
        var facts = Facts([new(10_000, 1000), new(10_000, 1300)]);
        var byGoal = VerdictRule.Apply(TestResult.From(facts), null, onMoney: true);
        Assert.Equal(("B", false), (byGoal.Keep!.Letter, byGoal.IsByMoney));
        var broken = Facts([new(5000, 500), new(6000, 780)]);
        var money = RevenueResult.From(
            broken,
            [
                [Sold(5000, 500), Sold(6000, 900)],
            ],
            new(390, null),
            []
        );
        var problem = VerdictRule.Apply(TestResult.From(broken), money, onMoney: true);
        Assert.False(Assert.IsType<Verdict.SplitMismatch>(problem).IsByMoney);
        var stopped = Facts([new(5000, 500), new(5000, 500)]) with { Gap = new(3000, DateTimeOffset.UnixEpoch) };
        var silent = VerdictRule.Apply(TestResult.From(stopped));
        Assert.False(Assert.IsType<Verdict.ConversionsStopped>(silent).IsByMoney);
        var nobody = VerdictRule.Apply(Standing([new(0, 0), new(0, 0)]));
        Assert.False(Assert.IsType<Verdict.Waiting>(nobody).IsByMoney);
    }

    [Theory]
    // Both say the same; the other settles nothing; nothing is kept here; the other keeps another page.
    [InlineData(1000, 1300, 500, 700, null)]
    [InlineData(1000, 1300, 500, 510, null)]
    [InlineData(1000, 1085, 500, 700, null)]
    [InlineData(1000, 1300, 700, 500, "A")]
    [InlineData(1300, 1000, 500, 700, "B")]
    public void The_other_measure_is_named_where_it_surely_keeps_another_page(
        long conversionsA,
        long conversionsB,
        long buyersA,
        long buyersB,
        string? other
    )
    {
        var facts = Facts([new(10_000, conversionsA), new(10_000, conversionsB)]);
        Assert.Equal(other, Apply(facts, [buyersA, buyersB], onMoney: false).OtherMeasure?.Letter);
    }

    [Fact]
    public void A_page_that_differs_in_no_way_that_matters_contradicts_nobody()
    {
        var facts = Facts([new(400_000, 40_000), new(400_000, 52_000)]);
        var verdict = Apply(facts, [40_000, 40_050], onMoney: false);
        Assert.Equal(("B", null), (verdict.Keep!.Letter, verdict.OtherMeasure?.Letter));
    }

    [Theory]
    [InlineData(700, 500, "A")]
    [InlineData(500, 700, "B")]
    [InlineData(500, 510, "ForCertainty { }")]
    public void A_rule_by_money_keeps_what_brings_more_whatever_the_goal_says(long a, long b, string outcome)
    {
        var rule = new KeepRule(KeepBy.Sure, OnMoney: true) { Days = 14, Conversions = 100 };
        var facts = Facts([new(10_000, 1000), new(10_000, 1300)]);
        Assert.Equal(outcome, Said(Decide(rule, facts, a, b)));
        var last = rule with { Latest = Today, LeaderAtLatest = true };
        Assert.Equal(a > b ? "A" : "B", Said(Decide(last, facts, a, b)));
    }

    [Theory]
    [InlineData(true, 510, 500, "A")]
    [InlineData(true, 500, 510, "B")]
    [InlineData(false, 510, 500, "B")]
    public void After_its_visitors_a_rule_keeps_the_leader_of_what_it_goes_by(
        bool onMoney,
        long a,
        long b,
        string outcome
    )
    {
        var rule = new KeepRule(KeepBy.Visitors, onMoney) { Visitors = 20_000 };
        Assert.Equal(outcome, Said(Decide(rule, Facts([new(10_000, 1000), new(10_000, 1010)]), a, b)));
    }

    [Fact]
    public void A_rule_by_money_waits_for_buyers()
    {
        var rule = new KeepRule(KeepBy.Visitors, OnMoney: true) { Visitors = 20_000 };
        var standing = Standing([new(10_000, 1000), new(10_000, 1300)]);
        Assert.Equal("ForBuyers { }", Said(rule.Decide(standing, null, Weights.Even(2), 20, Today)));
    }

    private static RuleDecision Decide(KeepRule rule, TestFacts facts, params long[] buyers) =>
        rule.Decide(TestResult.From(facts), Money(facts, buyers), Weights.Even(2), 20, Today);

    private static Verdict ByMoney(params long[] buyers) => ByMoneyOf(10_000, buyers);

    private static Verdict ByMoneyOf(long visitors, long[] buyers) =>
        Apply(Facts([.. buyers.Select(_ => new Arm(visitors, visitors / 10))]), buyers);

    private static Verdict Apply(TestFacts facts, long[] buyers, bool onMoney = true) =>
        VerdictRule.Apply(TestResult.From(facts), Money(facts, buyers), onMoney);

    private static RevenueResult Money(TestFacts facts, long[] buyers)
    {
        var visitors = facts.Phases[0].Arms[0].Visitors;
        return RevenueResult.From(
            facts,
            [
                [.. buyers.Select(bought => Sold(visitors, bought))],
            ],
            new(buyers[0] * Order / visitors, null),
            []
        );
    }

    private static RevenueSample Sold(long visitors, long buyers) =>
        new(visitors, Order * buyers, Order * Order * buyers);
}
