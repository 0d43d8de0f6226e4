using Wexil.Core.Results;
using Wexil.Core.Statistics;
using static Wexil.Tests.OnePhase;

namespace Wexil.Core.Tests.Results;

/// <summary>What is said while nothing is settled, and the exact edges at which something is.</summary>
public sealed class OpenVerdictTests
{
    [Theory]
    [InlineData("1700 450 1700 490")]
    [InlineData("2000 260 2000 235 2000 220")]
    public void Without_a_plan_a_forecast_is_when_the_difference_is_called_if_it_stays(string arms)
    {
        var standing = Read(arms);
        var forecast = VerdictRule.Apply(standing).Forecast!;
        Assert.True(forecast.IfLeadHolds && forecast.Least == forecast.Most);
        var came = standing.Total.Visitors;
        bool IsCalledAfter(double more)
        {
            var times = (came + more) / came;
            Arm[] later =
            [
                .. standing.Pages.Select(page => new Arm(
                    (long)(page.Total.Visitors * times),
                    (long)Math.Round(page.Total.Conversions * times)
                )),
            ];
            return TestResult
                .From(standing.Facts with { Phases = [new(standing.Facts.Phases[0].Weights, later)] })
                .Challengers.Any(page => page.AgainstControl!.P <= TestResult.Alpha);
        }
        Assert.True(IsCalledAfter(forecast.Most * 1.05) && !IsCalledAfter(forecast.Most * 0.85), $"{forecast}");
    }

    [Fact]
    public void A_lead_smaller_than_worth_finding_is_forecast_as_one_that_is_just_worth_it()
    {
        long MoreAt(long conversions) =>
            VerdictRule.Apply(Standing([new(1700, 450), new(1700, conversions)])).Forecast!.Most;
        // 0.02 of 1,700 are 34 conversions.
        Assert.Equal(MoreAt(455), MoreAt(470), MoreAt(455) * 0.1);
        Assert.True(MoreAt(500) < MoreAt(484));
    }

    [Theory]
    [InlineData(24, true)]
    [InlineData(25, false)]
    public void Too_few_conversions_are_fewer_than_25(long conversions, bool isTooFew)
    {
        var verdict = VerdictRule.Apply(Standing([new(400, 30), new(400, conversions)]));
        Assert.Equal(isTooFew, verdict is Verdict.TooFewConversions { Least: 24, IsByMoney: false });
        Assert.Equal(!isTooFew, verdict is Verdict.Undecided { IsByMoney: false });
    }

    [Fact]
    public void Where_only_one_page_was_seen_nothing_is_compared_and_nothing_breaks()
    {
        var verdict = Assert.IsType<Verdict.TooFewConversions>(VerdictRule.Apply(Standing([new(5, 3), new(0, 0)])));
        Assert.Equal((0L, (double?)null), (verdict.Least, verdict.Stakes!.Confidence));
    }

    [Fact]
    public void By_the_goal_every_settled_case_says_so()
    {
        var best = Assert.IsType<Verdict.ControlBest>(
            VerdictRule.Apply(Standing([new(5000, 650), new(5000, 500), new(5000, 480)]))
        );
        Assert.Equal((2, false), (best.Challengers, best.IsByMoney));
        var same = Assert.IsType<Verdict.NoDifference>(
            VerdictRule.Apply(Standing([new(400_000, 40_000), new(400_000, 40_050)]))
        );
        Assert.Equal((0.2, false), (same.Margin, same.IsByMoney));
        Assert.Equal("C", VerdictRule.Apply(Standing([new(5000, 500), new(5000, 640), new(5000, 660)])).Keep!.Letter);
        Assert.Equal("B", VerdictRule.Apply(Standing([new(5000, 500), new(5000, 660), new(5000, 640)])).Keep!.Letter);
    }

    [Theory]
    [InlineData(0.05, VerdictKind.Ready)]
    [InlineData(0.0501, VerdictKind.TooEarly)]
    public void A_look_that_was_exactly_sure_enough_settles_it(double p, VerdictKind kind)
    {
        TestFacts With(Arm[] arms, PastLooks past) => Facts(arms) with { Past = [PastLooks.None, past] };
        var ahead = With([new(3000, 300), new(3000, 330)], new(Ahead: p, Behind: 1));
        Assert.Equal(kind, VerdictRule.Apply(TestResult.From(ahead)).Kind);
        var behind = With([new(3000, 330), new(3000, 300)], new(Ahead: 1, Behind: p));
        var expected = kind == VerdictKind.Ready ? VerdictKind.ControlWins : kind;
        Assert.Equal(expected, VerdictRule.Apply(TestResult.From(behind)).Kind);
    }

    [Fact]
    public void A_look_is_kept_on_the_side_on_which_the_page_was()
    {
        var past = new PastLooks(0.3, 0.4);
        Assert.Equal(new(0.1, 0.4), past.With(new(0.02, null, 1, 0.1)));
        Assert.Equal(new(0.3, 0.4), past.With(new(0.02, null, 1, 0.6)));
        Assert.Equal(new(0.3, 0.2), past.With(new(-0.02, null, 1, 0.2)));
        Assert.Equal(past, past.With(new(0.02, null, 1)));
    }

    [Fact]
    public void Rates_are_standardized_once_a_split_was_changed()
    {
        var facts = Facts([new(4000, 800), new(1000, 200)]);
        Assert.False(TestResult.From(facts).IsStandardized);
        PhaseFacts[] changed =
        [
            new([80, 20], [new(4000, 800), new(1000, 200)]),
            new([20, 80], [new(1000, 50), new(4000, 200)]),
        ];
        Assert.True(TestResult.From(facts with { Phases = changed }).IsStandardized);
    }

    private static TestResult Read(string arms)
    {
        long[] numbers = [.. arms.Split(' ').Select(long.Parse)];
        return Standing([.. numbers.Chunk(2).Select(arm => new Arm(arm[0], arm[1]))]);
    }
}
