using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.SplitTests;

/// <summary>The states of a test, each moment on either side.</summary>
public sealed class SplitTestTests
{
    private static readonly DateTimeOffset Start = new(2026, 11, 9, 8, 0, 0, TimeSpan.Zero);
    private static readonly DateTimeOffset End = Start.AddDays(14);

    private static readonly SplitTest Test = new(
        new TestId(1),
        new StepId(1),
        new StepId(2),
        "Headline",
        "",
        BaseRate: 0.1,
        SmallestLift: 0.2,
        Start,
        PausedAt: null,
        DecidedAt: null,
        [new PageId(1), new PageId(2)],
        Weights.Even(2),
        new HashSet<PageId>(),
        TestSettings.Default with
        {
            Until = End,
        }
    );

    [Fact]
    public void A_test_is_scheduled_before_its_start_and_over_from_its_end()
    {
        Assert.Equal(TestState.Scheduled, Test.StateAt(Start.AddMilliseconds(-1)));
        Assert.Equal(TestState.Running, Test.StateAt(Start));
        Assert.Equal(TestState.Running, Test.StateAt(End.AddMilliseconds(-1)));
        Assert.Equal(TestState.Over, Test.StateAt(End));
    }

    [Fact]
    public void A_test_without_an_end_runs_on() =>
        Assert.Equal(TestState.Running, (Test with { Settings = TestSettings.Default }).StateAt(Start.AddYears(9)));

    [Fact]
    public void A_pause_goes_before_the_times_and_a_kept_page_before_all()
    {
        var paused = Test with { PausedAt = Start.AddDays(1) };
        var decided = paused with { DecidedAt = Start.AddDays(2) };
        foreach (var now in new[] { Start.AddDays(-1), Start.AddDays(3), End.AddDays(1) })
        {
            Assert.Equal(TestState.Paused, paused.StateAt(now));
            Assert.Equal(TestState.Decided, decided.StateAt(now));
        }
        Assert.True(paused.IsOpen);
        Assert.False(decided.IsOpen);
    }

    [Fact]
    public void The_rate_that_was_seen_corrects_the_one_that_was_expected()
    {
        Assert.Equal(0.1, Test.ExpectedRate);
        Assert.Equal(0.04, (Test with { SeenRate = 0.04 }).ExpectedRate);
    }

    [Theory]
    [InlineData(0.1, 0.2, 0.12)]
    [InlineData(0.1, 0.5, 0.15)]
    [InlineData(0.8, 0.2, 0.96)]
    // Half of those who are left, where a fifth more would be more than all.
    [InlineData(0.9, 0.2, 0.95)]
    public void A_better_page_wins_a_lift_or_half_of_those_who_are_left(double rate, double lift, double better) =>
        Assert.Equal(better, Planner.BetterRate(rate, lift), 1e-12);

    [Theory]
    // 1 − Φ(0.02 / √((0.1·0.9 + 0.12·0.88)/1000)) and the same with 0.9 against 0.95.
    [InlineData(2000, 0.1, 0.0763)]
    [InlineData(100, 0.9, 0.1702)]
    public void Keeping_whichever_is_ahead_is_wrong_as_often_as_the_difference_is_hidden(
        long visitors,
        double rate,
        double wrong
    ) => Assert.Equal(wrong, KeepRule.ErrorAfter(visitors, rate, 0.2), 0.0001);
}
