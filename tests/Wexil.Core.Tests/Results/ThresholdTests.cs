using Wexil.Core.Funnels;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;

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
        Assert.Equal(kind, Verdict.Of(Standing([new(visitors, 500), new(10_000 - visitors, 500)])).Kind);

    [Theory]
    // (1 − the lower end of Wilson's interval of 300 in 2,000 − s) to the power of s: 1.09e-6 for 90, 0.93e-6 for 91.
    [InlineData(90, VerdictKind.TooEarly)]
    [InlineData(91, VerdictKind.Problem)]
    public void Nobody_converting_is_a_problem_below_a_chance_of_one_in_a_million(long visitors, VerdictKind kind) =>
        Assert.Equal(
            kind,
            Verdict
                .Of(
                    TestResult.Of(
                        Facts([new(1000, 150), new(1000, 150)]) with
                        {
                            Silence = new(visitors, DateTimeOffset.UnixEpoch),
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
            Assert.Equal(!isSaid, Verdict.Of(standing).Sentence.StartsWith("Too few", StringComparison.Ordinal));
        }
    }

    [Theory]
    [InlineData(13.999, 100, "It runs for 1 more days at least.")]
    [InlineData(14, 99, "Every page needs 100 opt-ins; the smallest has 99.")]
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
    [InlineData(999, "1 more visitors to come.")]
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
    [InlineData(5, 1, true, "It runs for 9 more days at least.")]
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
        Assert.Equal("rests B", Said(Sure.Decide(standing, null, Weights.Of(40, 30, 30, 0), 20, Today)));
        // C, which is not settled, gets nobody: with B and D gone, the control would be alone.
        Assert.Equal(
            "It is not sure enough yet.",
            Said(Sure.Decide(standing, null, Weights.Of(40, 30, 0, 30), 20, Today))
        );
    }

    [Fact]
    public void Pairs_stand_out_below_one_in_a_thousand_over_all_pairs_together()
    {
        var outcomes = Enumerable
            .Range(240, 120)
            .Select(conversions =>
                InteractionTable.Of([
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
            InteractionTable.Of([
                [new(40_000, 400), new(40_000, 400)],
                [new(40_000, 400), new(300, conversions)],
            ]);
        Assert.Null(With(24).Standout);
        Assert.NotNull(With(25).Standout);
    }

    private static TestResult Standing(Arm[] arms) => TestResult.Of(Facts(arms));

    private static TestFacts Facts(Arm[] arms)
    {
        var pages = arms.Select((_, i) => new TestPage(new(i + 1), ((char)('A' + i)).ToString(), "Page")).ToArray();
        return new(
            pages,
            0,
            [new(Weights.Even(arms.Length).Percent, arms)],
            0.1,
            0.2,
            400,
            null,
            StepKind.OptIn.ConversionWords()
        );
    }

    private static string Said(RuleDecision decision) =>
        decision switch
        {
            RuleDecision.Keep keep => keep.Page.Letter,
            RuleDecision.Rest rest => $"rests {string.Concat(rest.Pages.Select(page => page.Letter))}",
            _ => decision.Why,
        };
}
