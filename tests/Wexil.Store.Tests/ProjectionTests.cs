using System.Collections.Concurrent;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Pages;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;
using Wexil.Store.Recording.Projection;

namespace Wexil.Store.Tests;

/// <summary>What a batch tells of itself, and what lies just inside and just outside of a test.</summary>
public sealed class ProjectionTests
{
    [Fact]
    public async Task A_batch_tells_of_the_tests_whose_counts_it_changed_and_of_no_others()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Goals.AddAsync(test.Id, new(GoalKind.Signal, "Asked"));
        var goal = world.Goals.ForTest(test.Id).Single().Id;
        var told = new ConcurrentQueue<Projected>();
        world.Journal.Projected += told.Enqueue;
        async Task<TestId[]> Touched(JournalEvent happened)
        {
            told.Clear();
            await world.Journal.AppendAsync(happened);
            await world.Journal.WhenProjectedAsync();
            return [.. told.SelectMany(batch => batch.Tests)];
        }
        JournalEvent Asks(JournalEvent who) =>
            who with
            {
                Id = Guid.CreateVersion7(),
                Kind = EventKind.Met,
                Test = null,
                Phase = null,
                Data = new GoalNote(goal, 0).ToString(),
            };
        JournalEvent Buys(JournalEvent who) =>
            new(
                Guid.CreateVersion7(),
                world.Time.GetUtcNow(),
                EventKind.Sale,
                who.Visitor,
                default,
                default,
                Data: new SaleNotice(SaleKind.Sale, "L-1", "", 4900, "USD").ToJson()
            );
        var (counted, apart) = (
            world.Enrols(test, 0),
            world.Enrols(test, 1) with
            {
                Kind = EventKind.Apart,
                Phase = null,
            }
        );
        Assert.Equal([test.Id], await Touched(counted));
        Assert.Equal([test.Id], await Touched(apart));
        Assert.Equal([test.Id], await Touched(Asks(counted)));
        // It counts once, and of those who count.
        Assert.Empty(await Touched(Asks(counted)));
        Assert.Empty(await Touched(Asks(apart)));
        Assert.Equal([test.Id], await Touched(Buys(counted)));
        Assert.Empty(await Touched(counted with { Id = Guid.CreateVersion7(), Kind = EventKind.Visit, Test = null }));
    }

    [Fact]
    public async Task What_a_goal_is_worth_is_squared_by_visitor()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Goals.AddAsync(test.Id, new(GoalKind.Signal, "Paid") { ValueComes = true, EveryTime = true });
        var goal = world.Goals.ForTest(test.Id).Single().Id;
        JournalEvent[] visitors = [world.Enrols(test, 0), world.Enrols(test, 0)];
        foreach (var (who, value) in new[] { (0, 300), (0, 500), (1, 200) })
        {
            await world.Journal.AppendAsync(visitors[who] with { Id = Guid.CreateVersion7() });
            await world.Journal.AppendAsync(
                visitors[who] with
                {
                    Id = Guid.CreateVersion7(),
                    Kind = EventKind.Met,
                    Data = new GoalNote(goal, value).ToString(),
                }
            );
        }
        await world.Journal.WhenProjectedAsync();
        var tally = world.Tallies.Goals(test.Id).Single();
        Assert.Equal((2, 3, 1000), (tally.Visitors, tally.Times, tally.Value));
        Assert.Equal(800.0 * 800 + 200.0 * 200, tally.Squares);
    }

    [Theory]
    [InlineData(-1, 1)]
    [InlineData(0, 0)]
    public async Task What_is_done_at_the_moment_of_a_pause_is_not_the_tests(int milliseconds, int conversions)
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var visitor = world.Enrols(test, 0);
        await world.Journal.AppendAsync(visitor);
        world.Time.Advance(TimeSpan.FromMinutes(1));
        await world.Tests.PauseAsync(test.Id, paused: true);
        await world.Journal.AppendAsync(
            world.Reaches(test, visitor.Visitor) with
            {
                At = world.Time.GetUtcNow().AddMilliseconds(milliseconds),
            }
        );
        await world.Journal.WhenProjectedAsync();
        var phases = world.Tallies.Phases(test, world.Tests.Phases(test.Id));
        Assert.Equal(conversions, phases.Sum(phase => phase.Arms.Sum(arm => arm.Conversions)));
    }

    [Theory]
    [InlineData(-1, 1)]
    [InlineData(0, 0)]
    public async Task What_is_done_at_the_moment_when_a_goal_is_taken_out_does_not_count(int milliseconds, int met)
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Goals.AddAsync(test.Id, new(GoalKind.Signal, "Asked"));
        var goal = world.Goals.ForTest(test.Id).Single().Id;
        var visitor = world.Enrols(test, 0);
        await world.Journal.AppendAsync(visitor);
        world.Time.Advance(TimeSpan.FromMinutes(1));
        await world.Goals.DropAsync(test.Id, goal);
        await world.Journal.AppendAsync(
            visitor with
            {
                Id = Guid.CreateVersion7(),
                At = world.Time.GetUtcNow().AddMilliseconds(milliseconds),
                Kind = EventKind.Met,
                Data = new GoalNote(goal, 0).ToString(),
            }
        );
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(
            met,
            world.Database.Read(c =>
                c.Number("SELECT coalesce(sum(visitors), 0) FROM goal_tallies WHERE goal_id = $1", goal.Value)
            )
        );
    }

    [Theory]
    [InlineData(-1, 0)]
    [InlineData(0, 0)]
    [InlineData(1, 1)]
    public async Task Two_tests_are_crossed_that_ran_at_the_same_time(int milliseconds, int pairs)
    {
        using var world = new World();
        var first = await world.StartTestAsync();
        var visitor = world.Enrols(first, 0);
        await world.Journal.AppendAsync(visitor);
        world.Time.Advance(TimeSpan.FromHours(1));
        var second = await StartSecondAsync(world, first);
        // The first ends just before, just as or just after the second starts.
        world.Time.Advance(TimeSpan.FromMilliseconds(1));
        Assert.True(await world.Verdicts.KeepAsync(first.Id, first.Pages[0], "by hand", "Keep A.", "{}"));
        await world.Journal.WriteAsync(c =>
            c.Execute(
                "UPDATE tests SET decided_at = $2 WHERE id = $1",
                first.Id.Value,
                second.StartedAt.AddMilliseconds(milliseconds).ToUnixTimeMilliseconds()
            )
        );
        world.Time.Advance(TimeSpan.FromHours(1));
        await world.Journal.AppendAsync(world.Enrols(second, 1) with { Visitor = visitor.Visitor });
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(pairs, world.Tallies.Pairs(first.Id).Count);
    }

    [Fact]
    public async Task Who_comes_back_to_the_step_of_a_test_has_not_gone_on()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var visitor = world.Enrols(test, 0);
        await world.Journal.AppendAsync(visitor);
        await world.Journal.AppendAsync(
            visitor with
            {
                Id = Guid.CreateVersion7(),
                Kind = EventKind.Visit,
                Test = null,
                Phase = null,
            }
        );
        await world.Journal.WhenProjectedAsync();
        Assert.Empty(world.Tallies.Path(test.Id));
    }

    [Theory]
    [InlineData("steps")]
    [InlineData("pages")]
    [InlineData("phases")]
    [InlineData("tests")]
    [InlineData("sources")]
    [InlineData("goals")]
    [InlineData("settings")]
    [InlineData("rates")]
    public void A_change_of_what_events_are_read_by_is_noticed(string table) =>
        Assert.True(ProjectionContext.IsFrom(table));

    [Theory]
    [InlineData("events")]
    [InlineData("enrolments")]
    public void A_change_of_what_is_projected_is_none_of_those(string table) =>
        Assert.False(ProjectionContext.IsFrom(table));

    private static async Task<SplitTest> StartSecondAsync(World world, SplitTest first)
    {
        var bundle = new PageBundle([new("index.html", "<h1>x"u8.ToArray())], "index.html");
        var a = await world.Pages.AddAsync(first.Goal, "Thanks A", bundle);
        var b = await world.Pages.AddAsync(first.Goal, "Thanks B", bundle);
        var funnel = world.Funnels.All().Single().Id;
        var last = (await world.Funnels.AddStepAsync(funnel, StepKind.Other, "Last", "last"))!;
        var plan = new TestPlan(first.Goal, last.Id, "Second", "", 0.1, 0.2, [a, b], Weights.Create(50, 50));
        return world.Tests.Find((await world.Tests.StartAsync(plan))!.Value)!;
    }
}
