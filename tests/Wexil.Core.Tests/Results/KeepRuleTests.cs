using CsCheck;
using Wexil.Core.Assignments;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using static Wexil.Tests.OnePhase;

namespace Wexil.Core.Tests.Results;

public sealed class KeepRuleTests
{
    private static readonly DateOnly Today = new(2026, 11, 24);
    private static readonly KeepRule Sure = new(KeepBy.Sure)
    {
        Days = 14,
        Conversions = 100,
        RestsLosers = true,
    };

    [Theory]
    [InlineData(5000, 500, 650, 13.9, "ForDays { More = 1 }")]
    [InlineData(900, 90, 140, 20, "ForConversions { Needed = 100, Least = 90 }")]
    [InlineData(5000, 500, 510, 20, "ForCertainty { }")]
    [InlineData(5000, 500, 650, 14, "B")]
    [InlineData(5000, 650, 500, 14, "A")]
    [InlineData(400_000, 40_000, 40_050, 14, "A")]
    public void A_page_is_kept_when_it_is_sure_after_days_and_conversions_enough(
        long visitors,
        long conversionsA,
        long conversionsB,
        double days,
        string outcome
    ) =>
        Assert.Equal(
            outcome,
            Said(
                Sure.Decide(
                    Standing([new(visitors, conversionsA), new(visitors, conversionsB)]),
                    null,
                    Weights.Even(2),
                    days,
                    Today
                )
            )
        );

    [Theory]
    [InlineData(14, "B")]
    [InlineData(14.99, "B")] // the look that finds the week full may be late
    [InlineData(15, "ForWholeWeeks { More = 6 }")]
    [InlineData(20.5, "ForWholeWeeks { More = 1 }")]
    [InlineData(21, "B")]
    public void By_full_weeks_it_waits_until_every_weekday_counts_as_often(double days, string outcome) =>
        Assert.Equal(
            outcome,
            Said(
                (Sure with { WholeWeeks = true }).Decide(
                    Standing([new(5000, 500), new(5000, 650)]),
                    null,
                    Weights.Even(2),
                    days,
                    Today
                )
            )
        );

    [Fact]
    public void A_rule_from_before_full_weeks_could_be_said_keeps_at_any_day() =>
        Assert.False(KeepRule.Parse("""{"By":"Sure","Days":7}""").WholeWeeks);

    [Theory]
    [InlineData(false, 0, "A")]
    [InlineData(true, 0, "B")]
    [InlineData(true, 1, "ForCertainty { }")]
    public void On_the_latest_day_it_waits_no_longer(bool leader, int later, string outcome) =>
        Assert.Equal(
            outcome,
            Said(
                (Sure with { Latest = Today.AddDays(later), LeaderAtLatest = leader }).Decide(
                    Standing([new(5000, 500), new(5000, 510)]),
                    null,
                    Weights.Even(2),
                    20,
                    Today
                )
            )
        );

    [Fact]
    public void A_loser_rests_while_another_is_still_compared_with_the_control()
    {
        var standing = Standing([new(4000, 480), new(4000, 300), new(4000, 490)]);
        Assert.Equal("rests B", Said(Sure.Decide(standing, null, Weights.Even(3), 20, Today)));
        Assert.Equal("ForCertainty { }", Said(Sure.Decide(standing, null, Weights.Create(50, 0, 50), 20, Today)));
        Assert.Equal(
            "ForCertainty { }",
            Said((Sure with { RestsLosers = false }).Decide(standing, null, Weights.Even(3), 20, Today))
        );
    }

    [Fact]
    public void After_so_many_visitors_whichever_is_ahead_is_kept_and_how_often_that_is_wrong_is_known()
    {
        var rule = new KeepRule(KeepBy.Visitors) { Visitors = 2000 };
        Assert.Equal(
            "ForVisitors { More = 200 }",
            Said(rule.Decide(Standing([new(900, 90), new(900, 91)]), null, Weights.Even(2), 1, Today))
        );
        Assert.Equal("B", Said(rule.Decide(Standing([new(1000, 90), new(1000, 91)]), null, Weights.Even(2), 1, Today)));
        // Simulated: two pages of 10% and 12%, a thousand visitors each.
        var random = new Random(3);
        var wrong = Enumerable
            .Range(0, 2000)
            .Count(_ =>
                Enumerable.Range(0, 1000).Count(_ => random.NextDouble() < 0.1)
                > Enumerable.Range(0, 1000).Count(_ => random.NextDouble() < 0.12)
            );
        Assert.Equal(wrong / 2000.0, KeepRule.ErrorAfter(2000, 0.1, 0.2), 0.02);
    }

    [Fact]
    public void Numbers_that_cannot_be_trusted_keep_nothing()
    {
        var standing = Standing([new(5000, 500), new(6000, 900)]);
        Assert.StartsWith(
            "ForMending { Problem = SplitMismatch",
            Said(
                (Sure with { Latest = Today, LeaderAtLatest = true }).Decide(standing, null, Weights.Even(2), 20, Today)
            ),
            StringComparison.Ordinal
        );
        Assert.Equal(
            "ForBuyers { }",
            Said(
                (Sure with { OnMoney = true }).Decide(
                    Standing([new(5000, 500), new(5000, 650)]),
                    null,
                    Weights.Even(2),
                    20,
                    Today
                )
            )
        );
    }

    [Fact]
    public void A_rule_is_read_as_it_was_written()
    {
        var rule = Sure with { OnMoney = true, Sureness = 0.999, Latest = Today };
        Assert.Equal(rule, KeepRule.Parse(rule.ToJson()));
        Assert.Equal(KeepRule.Default, KeepRule.Parse(""));
    }

    [Fact]
    public void Leaning_weights_add_up_keep_the_floor_and_follow_the_chances() =>
        Gen.Select(Gen.Double[0, 1].Array[2, 10], Gen.Int[1, 50], Gen.Int[0, 9])
            .AlwaysHolds(
                (chances, floor, resting) =>
                {
                    var even = Weights.Even(chances.Length);
                    var now = chances.Length > 2 && resting < chances.Length ? even.Without([resting]) : even;
                    var weights = AdaptiveWeights.Compute(chances, floor, now);
                    var taking = Enumerable.Range(0, now.Count).Where(page => now[page] > 0).ToArray();
                    var least = Math.Min(floor, 100 / taking.Length);
                    Assert.All(taking, page => Assert.True(weights[page] >= least));
                    Assert.All(Enumerable.Range(0, now.Count).Except(taking), page => Assert.Equal(0, weights[page]));
                    foreach (var a in taking)
                    {
                        foreach (var b in taking)
                            if (chances[a] > chances[b])
                                Assert.True(weights[a] >= weights[b] - 1);
                    }
                }
            );

    [Fact]
    public void By_money_the_chances_and_losses_are_those_of_normal_means()
    {
        // Two means 1 apart, each with a deviation of 1: the difference is normal with deviation √2.
        static RevenueSample Of(double mean) =>
            new(10_000, mean * 10_000, (10_000 - 1) * 10_000.0 + mean * mean * 10_000);
        var (chances, losses) = MeanPosterior.Compare([new(Of(5)), new(Of(6))]);
        Assert.Equal(0.760250, chances[1], 1e-5);
        Assert.Equal(1, losses[0] - losses[1], 1e-7);
        Assert.Equal(0.1996, losses[1], 1e-3);
        Assert.Equal([0.5, 0.5], MeanPosterior.Compare([new(default), new(Of(6))]).Chances);
    }
}
