using System.Collections.Concurrent;
using System.Text.Json;
using Wexil.Core.AdNetworks;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Pages;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Targeting;
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
        Assert.Equal(1, await world.Verdicts.KeepAsync([new(first.Id, first.Pages[0], "Keep A.", "{}")], "by hand"));
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

    [Theory]
    [InlineData(true, false, "opt-in of ")]
    [InlineData(false, true, "sale of 1, sale of 2")]
    [InlineData(true, true, "opt-in of , sale of 1, sale of 2")]
    public async Task A_network_is_told_of_what_it_asks_for_and_of_each_line_of_an_order(
        bool tellsOptIns,
        bool tellsSales,
        string told
    )
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var sources = new SourceStore(world.Database, world.Journal, world.Time);
        var funnel = world.Funnels.All().Single().Id;
        await sources.SaveAsync(funnel, null, "ads", "Ads", SourceKind.Ad, null, new Dictionary<StepId, PageId>());
        var link = LinkPart.Parse("click={click_id}")!.Value;
        var postback = PostbackAddress.Read("https://ads.example/{click_id}").Address;
        await sources.SetNetworkAsync(
            sources.ForFunnel(funnel).Single().Id,
            new(link, null, 0, postback, tellsOptIns, tellsSales)
        );
        var traits = new Traits(Device.Phone, Source: "ads") { Click = new("a-click", 0) };
        var visitor = world.Enrols(test, 1) with { Data = VisitNote.From(traits).ToString() };
        await world.Journal.AppendAsync(visitor);
        await world.Journal.AppendAsync(OptsIn(world, visitor, "ann@larkrow.example"));
        foreach (var line in (string[])["1", "2", "2"])
            await SellAsync(world, new(SaleKind.Sale, "L-1", line, 4900, "USD"), visitor);
        var waiting = world.Database.Read(c =>
            c.Rows("SELECT fields FROM outgoing", row => JsonSerializer.Deserialize<Postback>(row.GetString(0))!)
        );
        var template = PostbackAddress.Read("https://ads.example/{click_id}/{event} of {line}").Address!;
        Assert.Equal(
            told,
            string.Join(", ", waiting.Select(one => Uri.UnescapeDataString(template.Fill(one).Split('/')[^1])).Order())
        );
    }

    [Fact]
    public async Task An_order_keeps_its_first_buyer_and_page_and_takes_them_from_whichever_telling_has_them()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        JournalEvent[] visitors = [world.Enrols(test, 0), world.Enrols(test, 1)];
        foreach (var visitor in visitors)
            await world.Journal.AppendAsync(visitor);
        await world.Journal.AppendAsync(OptsIn(world, visitors[1], "ann@larkrow.example"));
        SaleNotice Sale(string order, string line, long amount, string email = "") =>
            new(SaleKind.Sale, order, line, amount, "USD", Email: email);
        SaleNotice Back(string order, long amount) => new(SaleKind.Refund, order, "R", amount, "USD");
        // Money back that knows the buyer comes before its sale, which does not.
        await SellAsync(world, Back("L-1", 100), visitors[0], test.Pages[0]);
        await SellAsync(world, Sale("L-1", "", 1000), null);
        // A second line knows whose order it is, and the first did not.
        await SellAsync(world, Sale("L-2", "1", 2000), null);
        await SellAsync(world, Sale("L-2", "2", 500), visitors[0], test.Pages[1]);
        // A second line says somebody else, and an e-mail does: the first telling counts.
        await SellAsync(world, Sale("L-3", "1", 4000, "ann@larkrow.example"), visitors[0], test.Pages[0]);
        await SellAsync(world, Sale("L-3", "2", 100), visitors[1], test.Pages[1]);
        var money = world.Tallies.Money(test, Currency.Find("USD")!);
        Assert.Equal((1, 3, 900.0 + 2500 + 4100), (money[0].Buyers, money[0].Orders, money[0].Revenue.Sum));
        Assert.Equal(0, money[1].Orders);
        var now = world.Time.GetUtcNow();
        var orders = world.Sales.Orders(new(now.AddDays(-1), now.AddDays(1)), 9).ToDictionary(order => order.Order);
        Assert.All(orders.Values, order => Assert.Equal(visitors[0].Visitor, order.Visitor));
        Assert.Equal(("First salad", "Calendar"), (orders["L-2"].Page, orders["L-3"].Page));
    }

    [Fact]
    public async Task An_order_that_is_claimed_meets_the_goals_of_its_buyer_and_money_back_alone_is_none()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Goals.AddAsync(test.Id, new(GoalKind.Sale, "Bought") { ValueComes = true });
        var visitor = world.Enrols(test, 0);
        await world.Journal.AppendAsync(visitor);
        await SellAsync(world, new(SaleKind.Sale, "L-1", "", 4900, "USD"), null);
        await SellAsync(world, new(SaleKind.Refund, "L-2", "R", 300, "USD"), null);
        foreach (var order in new[] { "L-2", "L-1" })
            await world.Sales.ClaimAsync(order, visitor.Visitor, world.Time.GetUtcNow());
        await world.Journal.WhenProjectedAsync();
        var tally = world.Tallies.Goals(test.Id).Single();
        Assert.Equal((1, 1, 4900), (tally.Visitors, tally.Times, tally.Value));
        Assert.Equal(1, world.Tallies.Money(test, Currency.Find("USD")!)[0].Orders);
    }

    [Fact]
    public async Task Stretches_of_a_stay_add_up_and_one_that_was_busy_makes_the_visitor_engaged()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        JournalEvent[] visitors = [world.Enrols(test, 0), world.Enrols(test, 0)];
        foreach (var visitor in visitors)
            await world.Journal.AppendAsync(visitor);
        var told = new ConcurrentQueue<Projected>();
        world.Journal.Projected += told.Enqueue;
        async Task<bool> Stays(int who, int page, long milliseconds, bool engaged)
        {
            told.Clear();
            await world.Journal.AppendAsync(
                visitors[who] with
                {
                    Id = Guid.CreateVersion7(),
                    Kind = EventKind.Stay,
                    Page = test.Pages[page],
                    Data = new StayNote(milliseconds, engaged).ToString(),
                }
            );
            await world.Journal.WhenProjectedAsync();
            return told.Any(batch => batch.Tests.Contains(test.Id));
        }
        Assert.True(await Stays(0, 0, 4000, engaged: false));
        Assert.Equal((1, 0, 4.0), Sum());
        Assert.True(await Stays(0, 0, 3000, engaged: true));
        Assert.Equal((1, 1, 7.0), Sum());
        Assert.True(await Stays(0, 0, 1000, engaged: false));
        Assert.True(await Stays(0, 0, 500, engaged: true));
        Assert.False(await Stays(0, 1, 9000, engaged: true));
        Assert.True(await Stays(1, 0, 2000, engaged: false));
        Assert.Equal((2, 1, 10.5), Sum());
        var rows = world.Database.Read(c =>
            c.Rows("SELECT milliseconds, engaged FROM stays ORDER BY milliseconds", row =>
                (row.GetInt64(0), row.GetInt64(1))
            )
        );
        Assert.Equal([(2000L, 0L), (8500, 1)], rows);

        (long, long, double) Sum()
        {
            var stay = world.Tallies.Stays(test.Id).Single();
            return (stay.Visitors, stay.Engaged, stay.Time.TotalSeconds);
        }
    }

    [Fact]
    public async Task Visits_that_are_left_out_are_counted_by_reason_and_each_batch_tells_of_its_steps()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var told = new ConcurrentQueue<Projected>();
        world.Journal.Projected += told.Enqueue;
        async Task<StepId[]> Told(JournalEvent happened)
        {
            told.Clear();
            await world.Journal.AppendAsync(happened);
            await world.Journal.WhenProjectedAsync();
            return [.. told.SelectMany(batch => batch.Steps)];
        }
        JournalEvent LeftOut(NotCountedReason why) =>
            world.Enrols(test, 0) with
            {
                Kind = EventKind.LeftOut,
                Test = null,
                Phase = null,
                Data = ((char)why).ToString(),
            };
        Assert.Equal([test.Step], await Told(LeftOut(NotCountedReason.Robot)));
        Assert.Equal([test.Step], await Told(LeftOut(NotCountedReason.Robot)));
        Assert.Equal([test.Step], await Told(LeftOut(NotCountedReason.Own)));
        var visitor = world.Enrols(test, 0);
        Assert.Equal([test.Step], await Told(visitor));
        Assert.Equal([test.Goal], await Told(world.Reaches(test, visitor.Visitor)));
        Assert.Empty(await Told(world.Reaches(test, visitor.Visitor)));
        var reasons = world.Tallies.LeftOut(test.Step);
        Assert.Equal((2L, 1L), (reasons[NotCountedReason.Robot], reasons[NotCountedReason.Own]));
    }

    [Fact]
    public async Task A_page_was_shown_that_a_visitor_was_sent_to_and_money_without_a_page_shows_none()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Journal.AppendAsync(world.Enrols(test, 1));
        await SellAsync(world, new(SaleKind.Sale, "L-1", "", 100, "USD"), null);
        await world.Journal.AppendAsync(world.Enrols(test, 1));
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(
            [test.Pages[1].Value],
            world.Database.Read(c => c.Rows("SELECT page_id FROM shown_pages", row => row.GetInt64(0)))
        );
    }

    private static JournalEvent OptsIn(World world, JournalEvent who, string email) =>
        who with
        {
            Id = Guid.CreateVersion7(),
            At = world.Time.GetUtcNow(),
            Kind = EventKind.OptIn,
            Test = null,
            Phase = null,
            Data = email,
        };

    private static async Task SellAsync(World world, SaleNotice notice, JournalEvent? buyer, PageId? page = null)
    {
        await world.Sales.RecordAsync(notice, buyer?.Visitor, page, world.Time.GetUtcNow());
        await world.Journal.WhenProjectedAsync();
    }

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
