using Wexil.Core.SplitTests;

namespace Wexil.Core.Tests.SplitTests;

/// <summary>What becomes of a test's phases, case by case; the store's tests walk whole lives.</summary>
public sealed class TestLifeTests
{
    private static readonly DateTimeOffset Now = new(2026, 11, 24, 8, 0, 0, TimeSpan.Zero);
    private static readonly Weights Even = Weights.Create(50, 50),
        Uneven = Weights.Create(80, 20);

    private static Phase UnderWay(int? hoursToEnd = null) =>
        new(new(2), Even, "Started", Now.AddHours(-3), hoursToEnd is { } hours ? Now.AddHours(hours) : null);

    private static readonly Phase Ended = new(new(1), Even, "Started", Now.AddHours(-9), Now.AddHours(-3));
    private static readonly Phase ToCome = new(new(3), Even, "Started", Now.AddHours(2), null);

    [Fact]
    public void A_test_without_phases_begins_its_first_at_once_or_at_its_start()
    {
        Assert.Equal(
            new PhaseStart(Even, "Started", Now, null),
            TestLife.Plan([], new(Now.AddHours(-1), null), Even, "Started", Now).Begins
        );
        Assert.Equal(
            new PhaseStart(Even, "Started", Now.AddHours(1), Now.AddHours(2)),
            TestLife.Plan([], new(Now.AddHours(1), Now.AddHours(2)), Even, "Started", Now).Begins
        );
    }

    [Fact]
    public void A_change_ends_the_phase_under_way_and_begins_one_with_the_reason_and_the_tests_end()
    {
        var plan = TestLife.Plan(
            [Ended, UnderWay()],
            new(Now.AddHours(-9), Now.AddHours(5)),
            Uneven,
            "Weights set",
            Now
        );
        Assert.Equal([Ended, UnderWay() with { EndedAt = Now }], plan.Known);
        Assert.Equal(new PhaseStart(Uneven, "Weights set", Now, Now.AddHours(5)), plan.Begins);
        Assert.Empty(plan.Dropped);
    }

    [Fact]
    public void Without_a_reason_and_with_the_same_weights_the_phase_under_way_goes_on_and_its_end_moves()
    {
        var plan = TestLife.Plan([Ended, UnderWay(4)], new(Now.AddHours(-9), Now.AddHours(5)), Even, null, Now);
        Assert.Equal([Ended, UnderWay(5)], plan.Known);
        Assert.Null(plan.Begins);
        // Weights that differ are a change, whether or not a reason is given.
        Assert.Equal(
            new PhaseStart(Uneven, TestLife.GoesOn, Now, null),
            TestLife.Plan([UnderWay()], new(Now.AddHours(-9), null), Uneven, null, Now).Begins
        );
    }

    [Fact]
    public void Stopped_the_phase_under_way_ends_now_and_one_that_never_began_is_dropped()
    {
        Assert.Equal(
            [Ended, UnderWay() with { EndedAt = Now }],
            TestLife.Plan([Ended, UnderWay(7)], null, Even, null, Now).Known
        );
        var plan = TestLife.Plan([Ended, ToCome], null, Even, "Paused", Now);
        Assert.Equal([Ended], plan.Known);
        Assert.Equal([ToCome.Id], plan.Dropped);
        Assert.Null(plan.Begins);
        Assert.Equal([Ended], TestLife.Plan([Ended], null, Even, "Paused", Now).Known);
    }

    [Fact]
    public void A_phase_that_is_yet_to_begin_follows_what_is_changed_and_keeps_its_reason()
    {
        var plan = TestLife.Plan([ToCome], new(Now.AddHours(4), Now.AddHours(6)), Uneven, "Weights set", Now);
        Assert.Equal(
            [ToCome with { Weights = Uneven, StartedAt = Now.AddHours(4), EndedAt = Now.AddHours(6) }],
            plan.Known
        );
        Assert.Null(plan.Begins);
        // Its moment has come: it is under way.
        Assert.Equal(
            Now,
            TestLife
                .Plan([ToCome with { StartedAt = Now }], new(Now, null), Uneven, "Weights set", Now)
                .Known.Single()
                .EndedAt
        );
        Assert.Equal(
            [ToCome with { StartedAt = Now.AddTicks(1), Weights = Uneven }],
            TestLife
                .Plan(
                    [ToCome with { StartedAt = Now.AddTicks(1) }],
                    new(Now.AddTicks(1), null),
                    Uneven,
                    "Weights set",
                    Now
                )
                .Known
        );
    }

    [Theory]
    [InlineData(-1, false)]
    [InlineData(0, false)]
    [InlineData(1, true)]
    public void At_its_end_a_test_is_over_and_goes_on_when_the_end_is_moved_ahead(int ticksToEnd, bool goesOn)
    {
        Assert.Equal(
            goesOn,
            TestLife.Plan([Ended], new(Now.AddHours(-9), Now.AddTicks(ticksToEnd)), Even, null, Now).Begins is not null
        );
        Assert.Equal(
            goesOn ? Now.AddTicks(1) : Now,
            TestLife
                .Plan([UnderWay()], new(Now.AddHours(-9), Now.AddTicks(ticksToEnd)), Even, null, Now)
                .Known.Single()
                .EndedAt
        );
        Assert.Equal(
            !goesOn,
            TestLife.Plan([], new(Now.AddHours(2), Now.AddHours(2).AddTicks(ticksToEnd)), Even, null, Now).Begins
                is null
        );
        Assert.Equal(ticksToEnd > 0, (Ended with { EndedAt = Now.AddTicks(ticksToEnd) }).IsOpenAt(Now));
    }
}
