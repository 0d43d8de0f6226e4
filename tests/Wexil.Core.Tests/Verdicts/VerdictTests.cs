using Wexil.Core.Evidence;
using Wexil.Core.Funnels;
using Wexil.Core.Verdicts;

namespace Wexil.Core.Tests.Verdicts;

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
    public void Each_situation_has_its_verdict(long visitorsA, long conversionsA, long visitorsB, long conversionsB, VerdictKind kind, string? keep)
    {
        var verdict = Verdict.Of(TestStanding.Of(Facts([new(visitorsA, conversionsA), new(visitorsB, conversionsB)])));
        Assert.Equal(kind, verdict.Kind);
        Assert.Equal(keep, verdict.Keep?.Letter);
    }

    [Fact]
    public void The_sentence_says_what_to_do_and_how_much_better()
    {
        var verdict = Verdict.Of(TestStanding.Of(Facts([new(5000, 500), new(5000, 650)])));
        Assert.Equal("Keep B. It brings 30% more opt-ins than A.", verdict.Sentence);
    }

    [Fact]
    public void Too_early_says_how_long_it_will_take()
    {
        var verdict = Verdict.Of(TestStanding.Of(Facts([new(1700, 450), new(1700, 490)])));
        Assert.Equal("B is ahead of A, but not by enough to bank on.", verdict.Sentence);
        Assert.InRange(verdict.MoreVisitors!.Value, 1_000, 20_000);
        Assert.Equal(verdict.MoreVisitors.Value / 400.0, verdict.Days!.Value);
    }

    [Fact]
    public void Visitors_without_a_conversion_for_too_long_are_a_problem_and_a_short_while_is_not()
    {
        Arm[] arms = [new(1000, 150), new(1000, 150)];
        Verdict After(long visitors) => Verdict.Of(TestStanding.Of(Facts(arms) with { Silence = new(visitors, DateTimeOffset.UnixEpoch) }));
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
            var standing = TestStanding.Of(Facts(arms));
            foreach (var page in standing.Challengers)
                if (page.AgainstControl is { Interval: { } interval } comparison)
                    Assert.Equal(comparison.P <= TestStanding.Alpha, !interval.Contains(0));
        }
    }

    private static TestFacts Facts(Arm[] arms)
    {
        var pages = arms.Select((_, i) => new TestPage(new(i + 1), ((char)('A' + i)).ToString(), "Page")).ToArray();
        var weights = arms.Select(_ => 100 / arms.Length).ToArray();
        return new(pages, 0, [new(weights, arms)], 0.1, 0.2, 400, null, StepKind.OptIn.ConversionWords());
    }
}
