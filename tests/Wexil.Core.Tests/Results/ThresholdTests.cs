using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using static Wexil.Tests.OnePhase;

namespace Wexil.Core.Tests.Results;

/// <summary>
/// Each threshold of a verdict and a rule, a step on either side. Where a chance is the threshold, R says on which side
/// the numbers are.
/// </summary>
public sealed class ThresholdTests
{
    private static readonly DateOnly Today = new(2026, 11, 24);
    private static readonly KeepRule Sure = new(KeepBy.Sure)
    {
        Days = 14,
        Conversions = 100,
        RestsLosers = true,
    };

    [Theory]
    // chisq.test(c(5164, 4836)): p = 0.001038; chisq.test(c(5165, 4835)): p = 0.000967.
    [InlineData(5164, VerdictKind.TooEarly)]
    [InlineData(5165, VerdictKind.Problem)]
    public void The_split_is_a_problem_below_a_chance_of_one_in_a_thousand(long visitors, VerdictKind kind) =>
        Assert.Equal(kind, VerdictRule.Apply(Standing([new(visitors, 500), new(10_000 - visitors, 500)])).Kind);

    [Theory]
    // (1 − the lower end of Wilson's interval of 300 in 2,000 − s) to the power of s: 1.09e-6 for 90, 0.93e-6 for 91.
    [InlineData(90, VerdictKind.TooEarly)]
    [InlineData(91, VerdictKind.Problem)]
    public void Nobody_converting_is_a_problem_below_a_chance_of_one_in_a_million(long visitors, VerdictKind kind) =>
        Assert.Equal(
            kind,
            VerdictRule
                .Apply(
                    TestResult.From(
                        Facts([new(1000, 150), new(1000, 150)]) with
                        {
                            Gap = new(visitors, DateTimeOffset.UnixEpoch),
                        }
                    )
                )
                .Kind
        );

    [Theory]
    [InlineData(24, false)]
    [InlineData(25, true)]
    public void Nothing_is_said_of_a_page_before_25_conversions(long conversions, bool isSaid)
    {
        foreach (
            var arms in new Arm[][] { [new(400, conversions), new(400, 60)], [new(400, 60), new(400, conversions)] }
        )
        {
            var standing = Standing(arms);
            Assert.Equal(isSaid, standing.Pages[1].AgainstControl!.Confidence is not null);
            Assert.Equal(!isSaid, VerdictRule.Apply(standing) is Verdict.TooFewConversions);
        }
    }

    [Theory]
    [InlineData(13.999, 100, "ForDays { More = 1 }")]
    [InlineData(14, 99, "ForConversions { Needed = 100, Least = 99 }")]
    [InlineData(14, 100, "B")]
    public void A_rule_waits_for_full_days_and_for_conversions_on_every_page(
        double days,
        long conversions,
        string outcome
    ) =>
        Assert.Equal(
            outcome,
            Said(Sure.Decide(Standing([new(5000, conversions), new(5000, 650)]), null, Weights.Even(2), days, Today))
        );

    [Theory]
    [InlineData(999, "ForVisitors { More = 1 }")]
    [InlineData(1000, "B")]
    [InlineData(1001, "B")]
    public void A_rule_by_visitors_keeps_at_its_last_visitor(long onB, string outcome) =>
        Assert.Equal(
            outcome,
            Said(
                new KeepRule(KeepBy.Visitors) { Visitors = 2000 }.Decide(
                    Standing([new(1000, 90), new(onB, 95)]),
                    null,
                    Weights.Even(2),
                    0,
                    Today
                )
            )
        );

    [Theory]
    // Too few days, and B surely better: the days are the rule's own, and what it does on its last day is what the
    // owner chose.
    [InlineData(5, 0, false, "A")]
    [InlineData(5, 0, true, "B")]
    [InlineData(5, 1, true, "ForDays { More = 9 }")]
    [InlineData(5, -1, false, "A")]
    [InlineData(14, 0, false, "B")]
    public void On_its_last_day_a_rule_that_is_too_early_does_what_was_chosen(
        double days,
        int daysLeft,
        bool leader,
        string outcome
    ) =>
        Assert.Equal(
            outcome,
            Said(
                (Sure with { Latest = Today.AddDays(daysLeft), LeaderAtLatest = leader }).Decide(
                    Standing([new(5000, 500), new(5000, 650)]),
                    null,
                    Weights.Even(2),
                    days,
                    Today
                )
            )
        );

    [Fact]
    public void A_loser_rests_only_while_another_that_may_win_gets_visitors()
    {
        var standing = Standing([new(4000, 480), new(4000, 300), new(4000, 490), new(4000, 305)]);
        Assert.Equal("rests BD", Said(Sure.Decide(standing, null, Weights.Even(4), 20, Today)));
        Assert.Equal("rests B", Said(Sure.Decide(standing, null, Weights.Create(40, 30, 30, 0), 20, Today)));
        // C, which is not settled, gets nobody: with B and D gone, the control would be alone.
        Assert.Equal("ForCertainty { }", Said(Sure.Decide(standing, null, Weights.Create(40, 30, 0, 30), 20, Today)));
    }

    [Fact]
    public void Pairs_stand_out_below_one_in_a_thousand_over_all_pairs_together()
    {
        var outcomes = Enumerable
            .Range(240, 120)
            .Select(conversions =>
                InteractionTable.From([
                    [new(4000, 200), new(4000, 200)],
                    [new(4000, 200), new(4000, conversions)],
                ])
            )
            .Select(table => (Surprise: table.Pairs.Max(pair => pair.Surprise), table.Standout))
            .ToArray();
        // qnorm(1 − 0.001/8), two-sided and over four pairs; over a single pair it would be 3.29.
        Assert.All(outcomes, outcome => Assert.Equal(outcome.Surprise > 3.66226, outcome.Standout is not null));
        Assert.Contains(outcomes, outcome => outcome.Surprise is > 3.29 and < 3.66);
        Assert.Contains(outcomes, outcome => outcome.Surprise > 3.67);
        // However far from its parts, a pair with too few conversions says nothing.
        InteractionTable With(long conversions) =>
            InteractionTable.From([
                [new(40_000, 400), new(40_000, 400)],
                [new(40_000, 400), new(300, conversions)],
            ]);
        Assert.Null(With(24).Standout);
        Assert.NotNull(With(25).Standout);
    }

    [Fact]
    public void What_is_left_takes_as_many_days_as_it_has_visitors_for()
    {
        var facts = Facts([new(1700, 450), new(1700, 490)]);
        var more = VerdictRule.Apply(TestResult.From(facts)).Forecast!.Most;
        var known = VerdictRule.Apply(TestResult.From(facts with { VisitorsPerDay = more / 7.0 })).Forecast!;
        Assert.Equal(more, known.Most);
        Assert.Equal(7, known.Days!.Value.Most, 1e-9);
        var unknown = VerdictRule.Apply(TestResult.From(facts with { VisitorsPerDay = 0 })).Forecast!;
        Assert.Equal((more, null), (unknown.Most, unknown.Days));
    }

    [Fact]
    public void The_control_ahead_leads_and_the_control_above_all_wins()
    {
        var ahead = VerdictRule.Apply(Standing([new(1700, 490), new(1700, 450)]));
        Assert.Equal("A", Assert.IsType<Verdict.Undecided>(ahead).Leader.Letter);
        var won = VerdictRule.Apply(Standing([new(5000, 650), new(5000, 500), new(5000, 480)]));
        Assert.Equal(2, Assert.IsType<Verdict.ControlBest>(won).Challengers);
    }

    [Theory]
    [InlineData(24, true)]
    [InlineData(25, false)]
    public void Revenue_worth_that_of_fewer_than_25_buyers_alike_is_not_compared(int buyers, bool isTooFew)
    {
        var facts = Facts([new(5000, 500), new(5000, 500)]);
        RevenueSample Of(int count) => new(5000, count * 3900.0, count * 3900.0 * 3900);
        var money = RevenueResult.From(
            facts,
            [
                [Of(200), Of(buyers)],
            ],
            new(156, null),
            []
        );
        Assert.Equal(isTooFew, money.FewestBuyers < 25);
        Assert.Equal(!isTooFew, money.Pages[1].AgainstControl!.Raw is not null);
        Assert.Equal((true, false), (money.Control.IsControl, Assert.Single(money.Challengers).IsControl));
        Assert.Null(money.Control.AgainstControl);
        Assert.Equal(156 * 0.2, money.Margin, 1e-9);
        // Before it is known what a visitor was expected to bring, nothing is called.
        var unknown = RevenueResult.From(
            facts,
            [
                [Of(200), Of(buyers)],
            ],
            null,
            []
        );
        Assert.Null(unknown.Pages[1].AgainstControl!.Raw);
        Assert.Equal(156 * 0.2, unknown.Margin, 1e-9);
        // Nothing sold at all: one unit stands in for what a visitor brings, and nobody decides it.
        var nothing = RevenueResult.From(
            facts,
            [
                [Of(0), Of(0)],
            ],
            null,
            []
        );
        Assert.Equal(0.2, nothing.Margin, 1e-9);
        Assert.Null(nothing.Decided);
    }

    [Theory]
    // Of 100,000: one buyer more than a fifth, or the three largest more than half. Fewer than 25 buyers are few, and
    // none of them is large.
    [InlineData(25, "20000 10000 10000", null)]
    [InlineData(25, "20001 10000 10000", "1 buyer")]
    [InlineData(24, "20001 10000 10000", null)]
    [InlineData(25, "20000 15000 15000", null)]
    [InlineData(25, "20000 15001 15000", "3 buyers")]
    [InlineData(40, "6000 5000 5000", null)]
    public void A_few_buyers_decide_revenue_from_a_fifth_and_from_a_half_on(long buyers, string largest, string? who)
    {
        var deciding = new LargeBuyers(buyers, [.. largest.Split(' ').Select(long.Parse)]).Deciding(100_000, 25);
        Assert.Equal(who, deciding is var (count, _) ? $"{count} {(count == 1 ? "buyer" : "buyers")}" : null);
    }

    [Fact]
    public void What_is_at_stake_is_told_of_the_page_ahead_against_the_nearest_other()
    {
        var standing = Standing([new(5000, 650), new(5000, 500), new(5000, 600)]);
        var loss = ExpectedLoss.From(standing, keep: null);
        Assert.Equal("A", loss.Page.Letter);
        // C is nearest to the control.
        Assert.Equal(standing.Pages[2].AgainstControl!.Confidence, loss.Confidence);
        Assert.Equal(standing.Pages[0].Loss * 1000, loss.LossPerThousand, 1e-12);
        var lost =
            standing.Pages.Select((page, i) => standing.Facts.Phases[^1].Weights[i] / 100.0 * page.Loss).Sum()
            - standing.Pages[0].Loss;
        Assert.Equal(lost * 400, loss.WaitingPerDay, 1e-9);
        Assert.True(loss.WaitingPerDay > 0 && !loss.IsMoney);
        var ahead = Standing([new(5000, 500), new(5000, 650), new(5000, 520)]);
        Assert.Equal(
            ("B", ahead.Pages[1].AgainstControl!.Confidence),
            (ExpectedLoss.From(ahead, keep: null).Page.Letter, ExpectedLoss.From(ahead, keep: null).Confidence)
        );
        // Of a page to keep, whichever is ahead of it.
        var kept = ExpectedLoss.From(ahead, ahead.Pages[2].Page);
        Assert.Equal(("C", ahead.Pages[2].AgainstControl!.Confidence), (kept.Page.Letter, kept.Confidence));
        Assert.Equal(ahead.Pages[2].Loss * 1000, kept.LossPerThousand, 1e-12);
    }
}
