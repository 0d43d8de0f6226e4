using Wexil.Core.Results;
using Wexil.Core.Statistics;
using static Wexil.Tests.OnePhase;

namespace Wexil.Core.Tests.Results;

public sealed class VerdictTests
{
    [Theory]
    [InlineData(0, 0, 0, 0, VerdictKind.Waiting, null)]
    [InlineData(300, 20, 300, 60, VerdictKind.TooEarly, null)]
    [InlineData(1700, 450, 1700, 490, VerdictKind.TooEarly, null)]
    [InlineData(5000, 500, 5000, 650, VerdictKind.Ready, "B")]
    [InlineData(5000, 650, 5000, 500, VerdictKind.ControlWins, "A")]
    [InlineData(400_000, 40_000, 400_000, 40_050, VerdictKind.NoDifference, "A")]
    [InlineData(5000, 500, 6000, 780, VerdictKind.Problem, null)]
    public void Each_situation_has_its_verdict(
        long visitorsA,
        long conversionsA,
        long visitorsB,
        long conversionsB,
        VerdictKind kind,
        string? keep
    )
    {
        var verdict = VerdictRule.Apply(
            TestResult.From(Facts([new(visitorsA, conversionsA), new(visitorsB, conversionsB)]))
        );
        Assert.Equal(kind, verdict.Kind);
        Assert.Equal(keep, verdict.Keep?.Letter);
    }

    [Fact]
    public void A_better_page_is_better_by_its_lift()
    {
        var verdict = VerdictRule.Apply(TestResult.From(Facts([new(5000, 500), new(5000, 650)])));
        var better = Assert.IsType<Verdict.Better>(verdict);
        Assert.Equal(("B", "A", false), (better.Page.Letter, better.Control.Letter, better.IsByMoney));
        Assert.Equal(0.3, better.Gain, 1e-9);
    }

    [Fact]
    public void Too_early_says_how_long_it_will_take()
    {
        var verdict = VerdictRule.Apply(TestResult.From(Facts([new(1700, 450), new(1700, 490)])));
        Assert.Equal("B", Assert.IsType<Verdict.Undecided>(verdict).Leader.Letter);
        Assert.InRange(verdict.Forecast!.Most, 1_000, 20_000);
        Assert.Equal(verdict.Forecast.Most / 400.0, verdict.Forecast.Days!.Value.Most);
    }

    [Fact]
    public void Visitors_without_a_conversion_for_too_long_are_a_problem_and_a_short_while_is_not()
    {
        Arm[] arms = [new(1000, 150), new(1000, 150)];
        Verdict After(long visitors) =>
            VerdictRule.Apply(TestResult.From(Facts(arms) with { Gap = new(visitors, DateTimeOffset.UnixEpoch) }));
        Assert.Equal(VerdictKind.Problem, After(210).Kind);
        Assert.Equal(VerdictKind.TooEarly, After(25).Kind);
    }

    [Fact]
    public void No_interval_excludes_zero_beside_too_early_with_several_challengers()
    {
        var random = new Random(5);
        for (var i = 0; i < 500; i++)
        {
            Arm[] arms = [.. Enumerable.Range(0, 4).Select(_ => new Arm(2000, 180 + random.Next(60)))];
            var standing = TestResult.From(Facts(arms));
            foreach (var page in standing.Challengers)
                if (page.AgainstControl is { Interval: { } interval } comparison)
                    Assert.Equal(comparison.P <= TestResult.Alpha, !interval.Contains(0));
        }
    }

    [Theory]
    // What visitors brought, a sum and how many buyers alike it is worth; and what to do by money.
    [InlineData(10_000, 39_00L, 500, 10_000, 39_00L, 700, VerdictKind.Ready, "B")]
    [InlineData(10_000, 39_00L, 700, 10_000, 39_00L, 500, VerdictKind.ControlWins, "A")]
    [InlineData(10_000, 39_00L, 500, 10_000, 39_00L, 520, VerdictKind.TooEarly, null)]
    [InlineData(400_000, 39_00L, 40_000, 400_000, 39_00L, 40_050, VerdictKind.NoDifference, "A")]
    [InlineData(10_000, 39_00L, 500, 10_000, 900_00L, 20, VerdictKind.TooEarly, null)]
    public void Each_situation_has_its_verdict_by_money(
        long visitorsA,
        long orderA,
        long buyersA,
        long visitorsB,
        long orderB,
        long buyersB,
        VerdictKind kind,
        string? keep
    )
    {
        RevenueSample Of(long visitors, long order, long buyers) =>
            new(visitors, order * buyers, (double)order * order * buyers);
        var standing = TestResult.From(Facts([new(visitorsA, visitorsA / 10), new(visitorsB, visitorsB / 10)]));
        var money = RevenueResult.From(
            standing.Facts,
            [
                [Of(visitorsA, orderA, buyersA), Of(visitorsB, orderB, buyersB)],
            ],
            new(orderA * buyersA / (double)visitorsA, null),
            []
        );
        var verdict = VerdictRule.Apply(standing, money, onMoney: true);
        Assert.Equal((kind, keep), (verdict.Kind, verdict.Keep?.Letter));
        if (kind == VerdictKind.Ready)
            Assert.Equal(78, Assert.IsType<Verdict.Better>(verdict).Gain, 1e-9);
        if (verdict is not Verdict.TooFewBuyers)
            Assert.True(verdict.Stakes is { IsMoney: true, LossPerThousand: >= 0 });
    }

    [Fact]
    public void Where_money_and_conversions_disagree_it_is_said()
    {
        var standing = TestResult.From(Facts([new(10_000, 1000), new(10_000, 1300)]));
        var money = RevenueResult.From(
            standing.Facts,
            [
                [new(10_000, 700 * 3900.0, 700 * 3900.0 * 3900), new(10_000, 400 * 3900.0, 400 * 3900.0 * 3900)],
            ],
            new(273, null),
            []
        );
        var byGoal = VerdictRule.Apply(standing, money, onMoney: false);
        Assert.Equal("B", byGoal.Keep!.Letter);
        Assert.Equal("A", byGoal.OtherMeasure?.Letter);
        var byMoney = VerdictRule.Apply(standing, money, onMoney: true);
        Assert.Equal("A", byMoney.Keep!.Letter);
        Assert.Equal("B", byMoney.OtherMeasure?.Letter);
    }

    [Fact]
    public void What_an_earlier_look_was_sure_of_stays_sure_while_the_page_is_ahead()
    {
        var facts = Facts([new(3000, 300), new(3000, 345)]);
        Assert.Equal(VerdictKind.TooEarly, VerdictRule.Apply(TestResult.From(facts)).Kind);
        PastLooks[] past = [PastLooks.None, new(Ahead: 0.01, Behind: 1)];
        var sure = TestResult.From(facts with { Past = past });
        Assert.Equal("B", VerdictRule.Apply(sure).Keep!.Letter);
        Assert.True(sure.Pages[1].AgainstControl!.Interval!.Value.Low >= 0);
        Assert.Equal(
            VerdictKind.TooEarly,
            VerdictRule.Apply(TestResult.From(Facts([new(3000, 345), new(3000, 300)]) with { Past = past })).Kind
        );
        Assert.Equal(new(0.01, 0.5), past[1].With(new(-1, null, 0.5, 0.5)));
    }

    [Fact]
    public void Keeping_the_best_loses_least_and_waiting_costs_what_goes_to_the_others()
    {
        var stakes = VerdictRule.Apply(TestResult.From(Facts([new(5000, 500), new(5000, 650)]))).Stakes!;
        Assert.Equal("B", stakes.Page.Letter);
        Assert.InRange(stakes.Confidence!.Value, 0.95, 1);
        Assert.InRange(stakes.LossPerThousand, 0, 0.1);
        // Half of 400 visitors a day see the page that converts three points less.
        Assert.Equal(200 * 0.03, stakes.WaitingPerDay, 0.1);
    }
}
