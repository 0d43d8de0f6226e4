using Wexil.Core.Results;
using Wexil.Core.Statistics;
using static Wexil.Tests.OnePhase;

namespace Wexil.Core.Tests.Results;

/// <summary>What is said while nothing is settled, and the exact edges at which something is.</summary>
public sealed class OpenVerdictTests
{
    [Theory]
    // By the control's rate and the lead; by the smallest lift where the lead is smaller.
    [InlineData("1700 450 1700 490", 0.2647059, 0.2882353)]
    [InlineData("1700 450 1700 455", 0.2647059, 0.2847059)]
    // Where the control leads, by its nearest rival.
    [InlineData("2000 260 2000 235 2000 220", 0.13, 0.15)]
    [InlineData("2000 250 2000 180 2000 225", 0.125, 0.145)]
    // Before the control converted, by the rate that was expected.
    [InlineData("200 0 200 10", 0.1, 0.15)]
    // No page converts more than all.
    [InlineData("30 30 30 30", 0.1, 0.12)]
    public void A_forecast_is_the_planners_sample_of_what_is_left(string arms, double rate, double other)
    {
        var standing = Read(arms);
        var forecast = VerdictRule.Apply(standing).Forecast!;
        var came = (double)standing.Total.Visitors;
        var more = Math.Max(Planner.PeekSafeTotal(rate, other, standing.Pages.Count) - came, came * 0.1);
        var unit = Math.Pow(10, Math.Floor(Math.Log10(more)) - 1);
        Assert.InRange(forecast.Visitors, more - unit, more + unit);
    }

    [Theory]
    // Far more than half of those who are left would have to be won: half of them is what is planned for.
    [InlineData(20, 1, 5, 10)]
    [InlineData(615, 20, 5, 130)]
    [InlineData(6170, 20, 5, 1300)]
    public void What_is_left_is_at_least_a_tenth_rounded_up_to_two_digits(
        long visitors,
        long conversions,
        double smallestLift,
        long more
    )
    {
        var facts = Facts([new(visitors, conversions), new(visitors, conversions)]) with
        {
            SmallestLift = smallestLift,
        };
        var verdict = Assert.IsType<Verdict.TooFewConversions>(VerdictRule.Apply(TestResult.From(facts)));
        Assert.Equal(more, verdict.Expected.Visitors);
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
