using System.Collections.Concurrent;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Tests;

/// <summary>Who sent a visitor, how far the visitor came, and who is told apart.</summary>
public sealed class ArrivalTests
{
    [Fact]
    public async Task A_visitor_belongs_to_the_first_source_that_a_link_named_and_so_does_what_the_visitor_does()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var funnel = world.Funnels.All().Single().Id;
        var sales = (await world.Funnels.AddStepAsync(funnel, StepKind.Sales, "Kit", "kit"))!;
        var thanks = (await world.Funnels.AddStepAsync(funnel, StepKind.ThankYou, "Order received", "received"))!;
        JournalEvent[] visitors = [.. Enumerable.Range(0, 3).Select(i => world.Enrols(test, i % 2))];
        Task Comes(int who, StepId step, string source) =>
            world.Journal.AppendAsync(
                visitors[who] with
                {
                    Id = Guid.CreateVersion7(),
                    Kind = EventKind.Visit,
                    Step = step,
                    Test = null,
                    Phase = null,
                    Data = VisitNote.From(new Traits(Device.Phone, Source: source)).ToString(),
                }
            );
        // The first comes by no source, and then by two; the second by one at once; the third by none at all.
        await Comes(0, test.Step, "");
        await Comes(0, test.Step, "letter");
        await Comes(0, test.Step, "forum");
        await Comes(1, test.Step, "forum");
        await Comes(2, test.Step, "");
        // Each goes on, some steps twice.
        foreach (var step in new[] { test.Goal, test.Goal, sales.Id, thanks.Id, thanks.Id })
            await Comes(0, step, "");
        await Comes(1, test.Goal, "");
        await Comes(2, test.Goal, "");
        await world.Journal.WhenProjectedAsync();
        var lines = new SourceStore(world.Database, world.Journal, world.Time)
            .Lines(funnel, Currency.Find("USD")!)
            .ToDictionary(line => line.Name, line => (line.Clicks, line.Visitors, line.OptIns, line.Sales));
        Assert.Equal((1, 1, 1, 1), lines["letter"]);
        Assert.Equal((2, 1, 1, 0), lines["forum"]);
        Assert.Equal((0, 1, 1, 0), lines.Single(line => line.Key is not ("letter" or "forum")).Value);
        Assert.Equal(
            ["forum", "letter"],
            world.Database.Read(c => c.Rows("SELECT tag FROM sources ORDER BY tag", row => row.GetString(0)))
        );
    }

    [Fact]
    public async Task Who_is_told_apart_is_counted_by_reason_and_who_is_told_apart_later_by_none()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var told = new ConcurrentQueue<Projected>();
        world.Journal.Projected += told.Enqueue;
        JournalEvent Apart(ExclusionReason why, JournalEvent? who = null) =>
            (who ?? world.Enrols(test, 0)) with
            {
                Id = Guid.CreateVersion7(),
                Kind = EventKind.Apart,
                Page = test.Pages[1],
                Phase = null,
                Data = VisitNote.From(new Traits(Device.Phone), why).ToString(),
            };
        var enrolled = world.Enrols(test, 0);
        JournalEvent[] apart =
        [
            Apart(ExclusionReason.Audience),
            Apart(ExclusionReason.Audience),
            Apart(ExclusionReason.Share),
            Apart(ExclusionReason.Tied, enrolled),
        ];
        await world.Journal.AppendAsync(enrolled);
        foreach (var happened in apart)
            await world.Journal.AppendAsync(happened);
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(
            apart.Append(enrolled).Select(happened => (happened.Visitor, test.Id)).ToHashSet(),
            told.SelectMany(batch => batch.Places).ToHashSet()
        );
        told.Clear();
        foreach (var happened in apart.Skip(1))
            await world.Journal.AppendAsync(world.Reaches(test, happened.Visitor));
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(
            [(ExclusionReason.Audience, new Arm(2, 1)), (ExclusionReason.Share, new Arm(1, 1))],
            world.Tallies.Apart(test.Id).Select(row => (row.Reason, row.Arm)).OrderBy(row => row.Reason.ToString())
        );
        Assert.Contains(test.Id, told.SelectMany(batch => batch.Tests));
        Assert.Equal(new Arm(1, 0), world.Tallies.Phases(test, world.Tests.Phases(test.Id)).Single().Arms[0]);
    }

    [Theory]
    [InlineData(ExclusionReason.NotRunning, 1)]
    [InlineData(ExclusionReason.Audience, 1)]
    [InlineData(ExclusionReason.Combination, 0)]
    public async Task Who_stands_apart_converts_during_a_pause_too_and_who_was_drawn_does_not(
        ExclusionReason why,
        int conversions
    )
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var enrolled = world.Enrols(test, 0);
        await world.Journal.AppendAsync(enrolled);
        world.Time.Advance(TimeSpan.FromMinutes(1));
        await world.Tests.PauseAsync(test.Id, paused: true);
        world.Time.Advance(TimeSpan.FromMinutes(1));
        var apart = world.Enrols(test, 0) with
        {
            Kind = EventKind.Apart,
            Phase = null,
            Data = VisitNote.From(new Traits(Device.Phone), why).ToString(),
        };
        await world.Journal.AppendAsync(apart);
        foreach (var visitor in new[] { enrolled.Visitor, apart.Visitor })
            await world.Journal.AppendAsync(world.Reaches(test, visitor));
        await world.Journal.WhenProjectedAsync();
        var outside = Assert.Single(world.Tallies.Apart(test.Id));
        Assert.Equal((why, new Arm(1, conversions)), (outside.Reason, outside.Arm));
        Assert.Equal(new Arm(1, 0), world.Tallies.Phases(test, world.Tests.Phases(test.Id)).Single().Arms[0]);
    }

    [Fact]
    public async Task Each_later_step_is_counted_once_a_visitor_and_tells_of_the_test()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var funnel = world.Funnels.All().Single().Id;
        var last = (await world.Funnels.AddStepAsync(funnel, StepKind.Other, "Last", "last"))!;
        var visitor = world.Enrols(test, 0);
        await world.Journal.AppendAsync(visitor);
        var told = new ConcurrentQueue<Projected>();
        world.Journal.Projected += told.Enqueue;
        var onward = world.Reaches(test, visitor.Visitor);
        foreach (var step in new[] { last.Id, test.Goal, last.Id, test.Goal, last.Id })
        {
            await world.Journal.AppendAsync(onward with { Id = Guid.CreateVersion7(), Step = step });
            await world.Journal.WhenProjectedAsync();
        }
        var path = world.Tallies.Path(test.Id);
        Assert.Equal((1L, 1L), (path[(test.Pages[0], test.Goal)], path[(test.Pages[0], last.Id)]));
        // The last step changes no conversion, and the path all the same; what was walked before changes nothing.
        Assert.Equal([1, 1, 0, 0, 0], told.Select(batch => batch.Tests.Count));
    }

    [Fact]
    public async Task A_pair_of_pages_has_its_visitors_once_and_their_conversions()
    {
        using var world = new World();
        var first = await world.StartTestAsync();
        var funnel = world.Funnels.All().Single().Id;
        var last = (await world.Funnels.AddStepAsync(funnel, StepKind.Other, "Last", "last"))!;
        var bundle = new PageBundle([new("index.html", "<h1>x"u8.ToArray())], "index.html");
        PageId[] pages =
        [
            await world.Pages.AddAsync(first.Goal, "Thanks A", bundle),
            await world.Pages.AddAsync(first.Goal, "Thanks B", bundle),
        ];
        TestPlan plan = new(first.Goal, last.Id, "Second", "", 0.1, 0.2, pages, Weights.Create(50, 50));
        var second = world.Tests.Find((await world.Tests.StartAsync(plan))!.Value)!;
        var visitor = world.Enrols(first, 1);
        await world.Journal.AppendAsync(visitor);
        // The same place told twice is one.
        for (var i = 0; i < 2; i++)
            await world.Journal.AppendAsync(world.Enrols(second, 0) with { Visitor = visitor.Visitor });
        await world.Journal.AppendAsync(world.Reaches(second, visitor.Visitor) with { Step = last.Id });
        await world.Journal.WhenProjectedAsync();
        var cell = world.Tallies.Pairs(first.Id).Single().Cells.Single();
        Assert.Equal((first.Pages[1], pages[0], new Arm(1, 1)), (cell.First, cell.Second, cell.Arm));
        // Nothing of it is counted again with the next batch.
        await world.Journal.AppendAsync(world.Enrols(first, 0));
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(new Arm(1, 1), world.Tallies.Pairs(first.Id).Single().Cells.Single().Arm);
    }

    [Fact]
    public async Task A_goal_may_be_another_step_and_a_main_goal_counts_within_its_window()
    {
        using var world = new World();
        var plan = await world.PlanTestAsync();
        var main = new Goal(GoalKind.Signal, "Asked") { WindowDays = 3 };
        var test = world.Tests.Find((await world.Tests.StartAsync(plan with { Main = main })).GetValueOrDefault())!;
        await world.Goals.AddAsync(test.Id, new(GoalKind.Step, "Inbox") { Step = test.Goal });
        var goals = world.Goals.ForTest(test.Id).ToDictionary(goal => goal.Goal.Name, goal => goal.Id);
        JournalEvent[] visitors = [world.Enrols(test, 0), world.Enrols(test, 0)];
        foreach (var visitor in visitors)
            await world.Journal.AppendAsync(visitor);
        foreach (var (who, days) in new[] { (0, 2), (1, 4) })
            await world.Journal.AppendAsync(
                visitors[who] with
                {
                    Id = Guid.CreateVersion7(),
                    At = visitors[who].At.AddDays(days),
                    Kind = EventKind.Met,
                    Data = new GoalNote(goals["Asked"], 0).ToString(),
                }
            );
        await world.Journal.AppendAsync(world.Reaches(test, visitors[1].Visitor));
        await world.Journal.WhenProjectedAsync();
        var arms = world.Tallies.Phases(test, world.Tests.Phases(test.Id)).Select(phase => phase.Arms[0]);
        Assert.Equal(new Arm(2, 1), arms.Aggregate((one, other) => one + other));
        Assert.Equal(
            [(goals["Asked"], 1L), (goals["Inbox"], 1L)],
            world
                .Tallies.Goals(test.Id)
                .Select(tally => (tally.Goal, tally.Visitors))
                .OrderBy(tally => tally.Goal.Value)
        );
    }

    [Fact]
    public async Task An_opt_in_is_forwarded_and_confirmed_once_and_the_mark_is_at_the_last_event()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Journal.WriteAsync(c =>
            c.Execute(
                "INSERT INTO opt_in_settings VALUES ($1, 'https://list.example', '', 0, 'Hello', 'Confirm', 0)",
                test.Step.Value
            )
        );
        var visitor = world.Enrols(test, 0);
        await world.Journal.AppendAsync(visitor);
        JournalEvent Does(EventKind kind) =>
            visitor with
            {
                Id = Guid.CreateVersion7(),
                Kind = kind,
                Test = null,
                Phase = null,
                Data = "ann@larkrow.example",
            };
        await world.Journal.AppendAsync(Does(EventKind.OptIn));
        var at = visitor.At.AddMinutes(3);
        await world.Journal.AppendAsync(Does(EventKind.Confirmed) with { At = at });
        await world.Journal.AppendAsync(Does(EventKind.Confirmed) with { At = at.AddMinutes(1) });
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(
            [1L, 2],
            world.Database.Read(c => c.Rows("SELECT kind FROM outgoing ORDER BY kind", row => row.GetInt64(0)))
        );
        Assert.Equal(at.ToUnixTimeMilliseconds(), world.Database.Read(c => c.Number("SELECT confirmed_at FROM leads")));
        var (mark, last) = world.Database.Read(c =>
            (c.Number("SELECT mark FROM projection"), c.Number("SELECT max(seq) FROM events"))
        );
        Assert.Equal(last, mark);
    }

    [Fact]
    public async Task An_address_that_is_typed_again_and_again_gets_one_mail_a_day()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Journal.WriteAsync(c =>
            c.Execute("INSERT INTO opt_in_settings VALUES ($1, '', '', NULL, 'Hello', 'Confirm', 0)", test.Step.Value)
        );
        var first = world.Time.GetUtcNow();
        async Task OptInAsync(DateTimeOffset at, string email) =>
            await world.Journal.AppendAsync(
                world.Enrols(test, 0) with
                {
                    At = at,
                    Kind = EventKind.OptIn,
                    Test = null,
                    Phase = null,
                    Data = email,
                }
            );
        for (var i = 0; i < 60; i++)
            await OptInAsync(first.AddSeconds(i), i % 2 == 0 ? "ann@larkrow.example" : "Ann@Larkrow.example");
        await OptInAsync(first.AddDays(1).AddSeconds(-1), "ann@larkrow.example");
        Assert.Equal(1, await MailsAsync());
        await OptInAsync(first.AddDays(1), "ann@larkrow.example");
        Assert.Equal(2, await MailsAsync());
        await OptInAsync(first.AddDays(1), "ben@larkrow.example");
        Assert.Equal(3, await MailsAsync());
        await world.Journal.RecountAsync();
        Assert.Equal(3, await MailsAsync());

        async Task<long?> MailsAsync()
        {
            await world.Journal.WhenProjectedAsync();
            return world.Database.Read(c => c.Number("SELECT count(*) FROM outgoing WHERE kind = 2"));
        }
    }
}
