using CsCheck;
using Wexil.Core.AdNetworks;
using Wexil.Core.Common;
using Wexil.Core.Goals;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;
using Wexil.Store.Retention;

namespace Wexil.Store.Tests;

/// <summary>
/// Goals are met by whom they should, once or each time, whatever comes twice, late or in another order.
/// </summary>
public sealed class GoalTests
{
    [Fact]
    public async Task Any_order_and_repetition_of_what_visitors_did_gives_the_same_totals_and_so_does_counting_again()
    {
        string? expected = null;
        await Gen.Shuffle(Enumerable.Range(0, 26).ToArray())
            .AlwaysHoldsAsync(
                async order =>
                {
                    using var world = new World();
                    var test = await world.StartTestAsync();
                    await world.Goals.AddAsync(test.Id, new(GoalKind.Signal, "Asked") { Value = 250 });
                    await world.Goals.AddAsync(test.Id, new(GoalKind.Click, "Looked") { EveryTime = true, Value = 10 });
                    await world.Goals.AddAsync(
                        test.Id,
                        new(GoalKind.Sale, "Kit bought") { ValueComes = true, Products = ["Kit"] }
                    );
                    await world.Goals.AddAsync(test.Id, new(GoalKind.OptIn, "Opt-in on B") { Pages = [test.Pages[1]] });
                    await world.Goals.AddAsync(test.Id, new(GoalKind.Sale, "First order") { ValueComes = true });
                    var goals = world.Goals.ForTest(test.Id);
                    JournalEvent[] visitors = [.. Enumerable.Range(0, 4).Select(i => world.Enrols(test, i % 2))];
                    foreach (var visitor in visitors)
                        await world.Journal.AppendAsync(visitor);
                    var now = world.Time.GetUtcNow().AddMinutes(1);
                    JournalEvent Met(int who, int goal) =>
                        new(
                            Guid.CreateVersion7(now),
                            now,
                            EventKind.Met,
                            visitors[who].Visitor,
                            test.Step,
                            test.Pages[0],
                            Data: new GoalNote(goals[goal].Id, 0).ToString()
                        );
                    JournalEvent Sold(int who, SaleNotice notice) =>
                        new(
                            notice.Id(),
                            now,
                            EventKind.Sale,
                            visitors[who].Visitor,
                            default,
                            default,
                            Data: notice.ToJson()
                        );
                    JournalEvent OptsIn(int who) =>
                        new(
                            Guid.CreateVersion7(now),
                            now,
                            EventKind.OptIn,
                            visitors[who].Visitor,
                            test.Step,
                            test.Pages[who % 2],
                            Data: $"{who}@larkrow.example"
                        );
                    JournalEvent Stays(int who) =>
                        new(
                            Guid.CreateVersion7(now),
                            now,
                            EventKind.Stay,
                            visitors[who].Visitor,
                            test.Step,
                            test.Pages[who % 2],
                            Data: new StayNote(4000 * (who + 1), who == 1).ToString()
                        );
                    JournalEvent[] did =
                    [
                        Met(0, 0),
                        Met(0, 0),
                        Met(1, 0),
                        Met(1, 1),
                        Met(1, 1),
                        Met(2, 1),
                        Sold(0, new(SaleKind.Sale, "K-1", "", 4900, "USD", "Kit")),
                        Sold(0, new(SaleKind.Refund, "K-1", "R", 900, "USD")),
                        Sold(1, new(SaleKind.Sale, "K-2", "", 700, "USD", "Seeds")),
                        Sold(1, new(SaleKind.Sale, "K-0", "", 1200, "USD", "Kit")) with
                        {
                            At = now.AddMinutes(5),
                        },
                        Sold(1, new(SaleKind.Refund, "K-0", "R", 300, "USD")),
                        Sold(1, new(SaleKind.Refund, "K-2", "R", 200, "USD")),
                        OptsIn(0),
                        OptsIn(1),
                        OptsIn(3),
                        Stays(0),
                        Stays(1),
                        Stays(1),
                        world.Reaches(test, visitors[0].Visitor) with
                        {
                            At = now,
                        },
                        world.Reaches(test, visitors[3].Visitor) with
                        {
                            At = now,
                        },
                    ];
                    // Some are told twice.
                    JournalEvent[] told = [.. did, .. did.Take(26 - did.Length)];
                    foreach (var i in order)
                        await world.Journal.AppendAsync(told[i]);
                    await world.Journal.WhenProjectedAsync();

                    (long, long, long) Tally(int goal, int page) =>
                        world
                            .Tallies.Goals(test.Id)
                            .Where(tally => tally.Goal == goals[goal].Id && tally.Page == test.Pages[page])
                            .Aggregate((0L, 0L, 0L), (sum, tally) =>
                                (sum.Item1 + tally.Visitors, sum.Item2 + tally.Times, sum.Item3 + tally.Value)
                            );
                    Assert.Equal([(1, 1, 250), (1, 1, 250)], new[] { Tally(0, 0), Tally(0, 1) });
                    Assert.Equal([(1, 1, 10), (1, 2, 20)], new[] { Tally(1, 0), Tally(1, 1) });
                    Assert.Equal([(1, 1, 4000), (1, 1, 900)], new[] { Tally(2, 0), Tally(2, 1) });
                    Assert.Equal([(0, 0, 0), (2, 2, 0)], new[] { Tally(3, 0), Tally(3, 1) });
                    // Of the second visitor's two orders the earlier counts, with what went back of it.
                    Assert.Equal([(1, 1, 4000), (1, 1, 500)], new[] { Tally(4, 0), Tally(4, 1) });
                    Assert.Equal(
                        [1L, 1],
                        test.Pages.Select(page => world.Tallies.Path(test.Id).GetValueOrDefault((page, test.Goal)))
                    );
                    var stays = world.Tallies.Stays(test.Id).ToDictionary(stay => stay.Page);
                    Assert.Equal(
                        (1L, 1L, 1L, 0L),
                        (
                            stays[test.Pages[0]].Visitors,
                            stays[test.Pages[0]].Bounced.Conversions,
                            stays[test.Pages[1]].Visitors,
                            stays[test.Pages[1]].Bounced.Conversions
                        )
                    );
                    Assert.Equal(16_000, stays[test.Pages[1]].Time.TotalMilliseconds);

                    var once = world.Tables();
                    await world.Journal.RecountAsync();
                    await world.Journal.WhenProjectedAsync();
                    Assert.Equal(once, world.Tables());
                    var totals = string.Join(
                        '\n',
                        world
                            .Tallies.Goals(test.Id)
                            .OrderBy(tally => (tally.Goal.Value, tally.Page.Value))
                            .Select(tally => tally.ToString())
                    );
                    Assert.Equal(expected ??= totals, totals);
                },
                iter: 12
            );
    }

    [Fact]
    public async Task What_comes_before_the_visit_after_the_window_or_after_the_goal_was_taken_out_does_not_count()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Goals.AddAsync(test.Id, new(GoalKind.Signal, "Asked") { WindowDays = 3 });
        await world.Goals.AddAsync(test.Id, new(GoalKind.Signal, "Called"));
        var goals = world.Goals.ForTest(test.Id);
        JournalEvent[] visitors = [world.Enrols(test, 0), world.Enrols(test, 0), world.Enrols(test, 1)];
        foreach (var visitor in visitors)
            await world.Journal.AppendAsync(visitor);
        var start = world.Time.GetUtcNow();
        Task Met(int who, int goal, TimeSpan after) =>
            world.Journal.AppendAsync(
                new(
                    Guid.CreateVersion7(),
                    start + after,
                    EventKind.Met,
                    visitors[who].Visitor,
                    test.Step,
                    test.Pages[0],
                    Data: new GoalNote(goals[goal].Id, 0).ToString()
                )
            );
        await Met(0, 0, TimeSpan.FromMinutes(-1));
        await Met(1, 0, TimeSpan.FromDays(3));
        await Met(2, 0, TimeSpan.FromDays(3.001));
        await world.Journal.WhenProjectedAsync();
        world.Time.Advance(TimeSpan.FromDays(4));
        await world.Goals.DropAsync(test.Id, goals[1].Id);
        await Met(0, 1, TimeSpan.FromDays(5));
        await world.Journal.WhenProjectedAsync();
        Assert.Equal([(goals[0].Id, 1L)], world.Tallies.Goals(test.Id).Select(tally => (tally.Goal, tally.Visitors)));
        Assert.Equal(["Asked"], world.Goals.ForTest(test.Id).Select(goal => goal.Goal.Name));
    }

    [Fact]
    public async Task A_goal_that_is_added_while_visitors_come_counts_with_those_who_come_from_then_on()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Goals.AddAsync(test.Id, new(GoalKind.Signal, "First"));
        var before = world.Enrols(test, 0);
        await world.Journal.AppendAsync(before);
        await world.Journal.WhenProjectedAsync();
        world.Time.Advance(TimeSpan.FromMinutes(1));
        await world.Goals.AddAsync(test.Id, new(GoalKind.Signal, "Second"));
        var phases = world.Tests.Phases(test.Id);
        Assert.Equal(2, phases.Count);
        var after = world.Enrols(test, 0);
        await world.Journal.AppendAsync(after);
        var goals = world.Goals.ForTest(test.Id);
        foreach (var goal in goals)
        {
            foreach (var visitor in new[] { before, after })
                await world.Journal.AppendAsync(
                    new(
                        Guid.CreateVersion7(),
                        world.Time.GetUtcNow(),
                        EventKind.Met,
                        visitor.Visitor,
                        test.Step,
                        test.Pages[0],
                        Data: new GoalNote(goal.Id, 0).ToString()
                    )
                );
        }
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(
            [(goals[0].Id, phases[0].Id, 1L), (goals[0].Id, phases[1].Id, 1L), (goals[1].Id, phases[1].Id, 1L)],
            world
                .Tallies.Goals(test.Id)
                .Select(tally => (tally.Goal, tally.Phase, tally.Visitors))
                .OrderBy(tally => (tally.Goal.Value, tally.Phase.Value))
        );
        Assert.Equal(
            [
                [true, true],
                [false, true],
            ],
            goals.Select(goal => phases.Select(goal.CountsIn).ToArray()).ToArray()
        );
    }

    [Theory]
    [InlineData(true, 1)]
    [InlineData(false, 0)]
    public async Task A_lead_of_an_outside_page_is_told_to_the_network_by_its_arrival_one_of_a_hosted_page_by_its_form(
        bool isOutside,
        int told
    )
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        if (isOutside)
            await world.Pages.AddAsync(test.Step, "Elsewhere", new Uri("https://larkrow.example/calendar"));
        var sources = new SourceStore(world.Database, world.Journal, world.Time);
        var funnel = world.Funnels.All().Single().Id;
        await sources.SaveAsync(funnel, null, "ads", "Ads", SourceKind.Ad, null, new Dictionary<StepId, PageId>());
        await sources.SetNetworkAsync(
            sources.ForFunnel(funnel).Single().Id,
            new(
                LinkPart.Parse("click={click_id}")!.Value,
                null,
                0,
                PostbackAddress.Read("https://ads.example/{click_id}").Address,
                true,
                true
            )
        );
        var visitor = world.Enrols(test, 1) with
        {
            Data = VisitNote
                .From(new Traits(Device.Phone, Source: "ads") { Click = new("a-click", 250_000) })
                .ToString(),
        };
        await world.Journal.AppendAsync(visitor);
        for (var i = 0; i < 2; i++)
            await world.Journal.AppendAsync(world.Reaches(test, visitor.Visitor));
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(told, new OutboxStore(world.Database, world.Journal, world.Time).Waiting(9).Count);
    }

    [Fact]
    public async Task A_main_goal_of_another_kind_is_what_the_verdict_counts()
    {
        using var world = new World();
        var first = await world.StartTestAsync();
        Assert.Equal(1, await world.Verdicts.KeepAsync([new(first.Id, first.Pages[0], "Keep A.", "{}")], "by hand"));
        var id = await world.Tests.StartAsync(
            new(
                first.Step,
                first.Goal,
                "Signals",
                "",
                0.1,
                0.2,
                first.Pages,
                Weights.Even(2),
                Main: new(GoalKind.Signal, "Asked")
            )
        );
        var test = world.Tests.Find(id!.Value)!;
        var goal = world.Goals.ForTest(test.Id).Single();
        JournalEvent[] visitors = [world.Enrols(test, 0), world.Enrols(test, 1)];
        foreach (var visitor in visitors)
            await world.Journal.AppendAsync(visitor);
        // Reaching the step behind is no conversion now.
        await world.Journal.AppendAsync(world.Reaches(test, visitors[0].Visitor));
        for (var i = 0; i < 2; i++)
            await world.Journal.AppendAsync(
                new(
                    Guid.CreateVersion7(),
                    world.Time.GetUtcNow(),
                    EventKind.Met,
                    visitors[1].Visitor,
                    test.Step,
                    test.Pages[0],
                    Data: new GoalNote(goal.Id, 0).ToString()
                )
            );
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(
            [new Arm(1, 0), new Arm(1, 1)],
            world.Tallies.Phases(test, world.Tests.Phases(test.Id)).Single().Arms
        );
    }

    [Fact]
    public async Task Segments_and_quarter_hours_add_up_to_the_whole()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var random = new Random(5);
        for (var i = 0; i < 400; i++)
        {
            world.Time.Advance(TimeSpan.FromMinutes(random.Next(40)));
            var note = new VisitNote(
                (Device)random.Next(3),
                random.Next(2) == 0 ? "US" : "",
                "en",
                random.Next(2) == 0,
                null,
                random.Next(3) == 0 ? $"tag{random.Next(400)}" : ""
            );
            var visitor = world.Enrols(test, random.Next(2)) with { Data = note.ToString() };
            await world.Journal.AppendAsync(visitor);
            if (random.Next(4) == 0)
                await world.Journal.AppendAsync(world.Reaches(test, visitor.Visitor));
        }
        await world.Journal.WhenProjectedAsync();
        var whole = world.Tallies.Phases(test, world.Tests.Phases(test.Id)).Single().Arms;
        Arm Sum(IEnumerable<Arm> arms) => arms.Aggregate(new Arm(), (sum, arm) => sum + arm);
        foreach (var kind in Enum.GetValues<SegmentKind>())
        {
            var segments = world.Tallies.Segments(test.Id, kind);
            for (var page = 0; page < 2; page++)
                Assert.Equal(
                    whole[page],
                    Sum(segments.Where(segment => segment.Page == test.Pages[page]).Select(segment => segment.Arm))
                );
            // Very many sources are one from the two hundredth on.
            Assert.True(segments.Select(segment => segment.Value).Distinct().Count() <= 202);
        }
        for (var page = 0; page < 2; page++)
            Assert.Equal(
                whole[page],
                Sum(
                    world
                        .Tallies.PageBuckets(test.Id)
                        .Where(bucket => bucket.Page == test.Pages[page])
                        .Select(bucket => bucket.Arm)
                )
            );
    }

    [Fact]
    public async Task Who_is_removed_is_nowhere_any_more_and_still_counted()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        // Came by an ad network's click, of which the network is told.
        var sources = new SourceStore(world.Database, world.Journal, world.Time);
        var funnel = world.Funnels.All().Single().Id;
        await sources.SaveAsync(funnel, null, "ads", "Ads", SourceKind.Ad, null, new Dictionary<StepId, PageId>());
        await sources.SetNetworkAsync(
            sources.ForFunnel(funnel).Single().Id,
            new(
                LinkPart.Parse("click={click_id}")!.Value,
                null,
                0,
                PostbackAddress.Read("https://ads.example/{click_id}").Address,
                true,
                true
            )
        );
        var visitor = world.Enrols(test, 1) with
        {
            Data = VisitNote
                .From(new Traits(Device.Phone, Source: "ads") { Click = new("click-of-larkrow.example", 250_000) })
                .ToString(),
        };
        await world.Journal.AppendAsync(visitor);
        var now = world.Time.GetUtcNow();
        await world.Journal.AppendAsync(
            new(
                Guid.CreateVersion7(),
                now,
                EventKind.OptIn,
                visitor.Visitor,
                test.Step,
                test.Pages[1],
                Data: "Ann@larkrow.example"
            )
        );
        await world.Sales.RecordAsync(
            new(SaleKind.Sale, "K-1", "", 4900, "USD", "Kit", "ann@larkrow.example"),
            visitor.Visitor,
            null,
            now
        );
        await world.Journal.WhenProjectedAsync();
        await world.People.AddAsync([("bo@larkrow.example", ["letter"]), ("ann@larkrow.example", ["buyer"])]);
        await world.People.SetRuleAsync("salad", test.Id, test.Pages[1]);
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(["buyer", "salad"], world.People.Find("ann@LARKROW.example")!.Tags);
        Assert.Equal(["Ann@larkrow.example"], world.People.Find(new(Tag: "salad"), 10).Select(person => person.Email));
        Assert.Equal(2, world.People.Count(new("larkrow")));
        Assert.Equal(3, new ActivityStore(world.Database).For("ann@larkrow.example").Count);

        var outgoing = new OutboxStore(world.Database, world.Journal, world.Time);
        Assert.Equal(
            [("opt-in", ""), ("sale", "49.00")],
            outgoing.Waiting(9).Select(told => (told.What.Postback.Event, told.What.Postback.Value)).Order()
        );
        Assert.Equal(25, sources.Lines(funnel, Currency.Default).Single().Spent);

        var removal = new PersonRemoval(world.Database, world.Journal);
        Assert.True(await removal.RemoveAsync("ann@larkrow.example"));
        Assert.False(await removal.RemoveAsync("ann@larkrow.example"));
        await world.Journal.RecountAsync();
        await world.Journal.WhenProjectedAsync();
        Assert.Null(world.People.Find("ann@larkrow.example"));
        Assert.Equal(4900, world.Tallies.Money(test, Currency.Find("USD")!)[1].Revenue.Sum);
        Assert.Equal(
            (1L, 1L, 25L),
            (
                sources.Lines(funnel, Currency.Default).Single().Clicks,
                sources.Lines(funnel, Currency.Default).Single().Orders,
                sources.Lines(funnel, Currency.Default).Single().Spent
            )
        );
        Assert.Empty(outgoing.Waiting(9));
        Assert.DoesNotContain(
            "larkrow.example",
            world.Database.Read(c =>
            {
                using var command = c.CreateCommand();
                command.CommandText =
                    "SELECT group_concat(coalesce(data, '')) || (SELECT group_concat(email) FROM orders) FROM events";
                return (string)command.ExecuteScalar()!;
            }),
            StringComparison.OrdinalIgnoreCase
        );
        Assert.Equal(["bo@larkrow.example"], world.People.Find(new(), 10).Select(person => person.Email));
    }
}
