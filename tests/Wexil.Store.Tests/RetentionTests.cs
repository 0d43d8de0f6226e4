using Wexil.Core.AdNetworks;
using Wexil.Core.Common;
using Wexil.Core.Goals;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store.Backups;
using Wexil.Store.Recording;
using Wexil.Store.Retention;
using Wexil.Tests;

namespace Wexil.Store.Tests;

/// <summary>Visits from long ago are deleted, and every figure stays.</summary>
public sealed class RetentionTests
{
    /// <summary>Rows of one visitor each; all other projected tables are figures.</summary>
    private static readonly string[] OfVisitors =
    [
        "visitors",
        "enrolments",
        "goals_met",
        "stays",
        "combinations",
        "ad_clicks",
    ];

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public async Task No_figure_changes_and_counting_again_finds_the_same(int seed)
    {
        using var world = new World();
        var past = new Past(world, seed);
        await past.RunAsync();
        var (figures, events) = (Figures(world), world.Events());
        Assert.Empty(await CheckAsync(world));

        var thinning = new VisitThinning(world.Database, world.Journal);
        var cutoff = world.Time.GetUtcNow().AddDays(-20);
        var deleted = await thinning.RunAsync(cutoff);
        Assert.InRange(deleted, events / 5, events - 1);
        Assert.Equal(events - deleted, world.Events());
        Assert.Equal((cutoff, deleted), (thinning.Sealed.Until, thinning.Sealed.Events));
        Assert.Equal(figures, Figures(world));
        Assert.Empty(await CheckAsync(world));

        // Nothing is left to do, until time goes on; and those who came stay counted.
        Assert.Equal(0, await thinning.RunAsync(cutoff));
        await past.GoOnAsync(40);
        figures = Figures(world);
        Assert.InRange(await thinning.RunAsync(cutoff.AddDays(10)), 1, events);
        Assert.Equal(figures, Figures(world));
        Assert.Empty(await CheckAsync(world));
        await world.Journal.RecountAsync();
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(figures, Figures(world));
    }

    [Fact]
    public async Task A_visitor_goes_with_everything_or_not_at_all()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var (gone, back, person, buyer, late) = (
            world.Enrols(test, 0),
            world.Enrols(test, 1),
            world.Enrols(test, 0),
            world.Enrols(test, 1),
            world.Enrols(test, 0)
        );
        foreach (var comes in (JournalEvent[])[gone, back, person, buyer])
            await world.Journal.AppendAsync(comes);
        await world.Journal.AppendAsync(Opens(world, test, person.Visitor, "mara@example.com"));
        await world.Journal.AppendAsync(Buys(world, buyer.Visitor, "L-1"));
        await world.Journal.WhenProjectedAsync();
        await world.Verdicts.KeepAsync([new(test.Id, test.Pages[0], "Keep A.", "{}")], "by hand");
        world.Time.Advance(TimeSpan.FromDays(30));
        await world.Journal.AppendAsync(world.Reaches(test, back.Visitor));
        await world.Journal.AppendAsync(late with { At = world.Time.GetUtcNow() });
        await world.Journal.WhenProjectedAsync();

        var thinning = new VisitThinning(world.Database, world.Journal);
        // Up to the very moment of the visit, it is not older.
        Assert.Equal(0, await thinning.RunAsync(gone.At));
        Assert.Equal(1, await thinning.RunAsync(gone.At.AddMilliseconds(1)));
        Assert.Equal(
            new[] { back, person, buyer, late }.Select(comes => comes.Visitor.Value).Order(),
            Visitors(world).Order()
        );
        Assert.Null(world.Database.PlaceOf(gone.Visitor, test.Id));
        Assert.NotNull(world.Database.PlaceOf(back.Visitor, test.Id));
    }

    [Fact]
    public async Task Visitors_of_a_test_stay_until_it_has_been_over_as_long()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Journal.AppendAsync(world.Enrols(test, 0));
        world.Time.Advance(TimeSpan.FromDays(30));
        await world.Journal.AppendAsync(world.Enrols(test, 1));
        await world.Journal.WhenProjectedAsync();
        var thinning = new VisitThinning(world.Database, world.Journal);
        Assert.Equal(0, await thinning.RunAsync(world.Time.GetUtcNow().AddDays(-1)));

        await world.Verdicts.KeepAsync([new(test.Id, test.Pages[0], "Keep A.", "{}")], "by hand");
        var decided = world.Time.GetUtcNow();
        Assert.Equal(0, await thinning.RunAsync(decided));
        Assert.Equal(1, await thinning.RunAsync(decided.AddMilliseconds(1)));
    }

    [Fact]
    public async Task The_last_event_stays_so_that_numbers_are_not_given_twice()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Verdicts.KeepAsync([new(test.Id, test.Pages[0], "Keep A.", "{}")], "by hand");
        for (var i = 0; i < 3; i++)
        {
            var visitor = VisitorId.New(world.Time.GetUtcNow(), world.Chance);
            await world.Journal.AppendAsync(world.Reaches(test, visitor) with { Step = test.Step });
            await world.Journal.AppendAsync(LeftOut(world, test));
        }
        await world.Journal.WhenProjectedAsync();
        world.Time.Advance(TimeSpan.FromDays(1));
        var figures = Figures(world);
        Assert.Equal(5, await new VisitThinning(world.Database, world.Journal).RunAsync(world.Time.GetUtcNow()));
        await world.Journal.AppendAsync(LeftOut(world, test));
        await world.Journal.WhenProjectedAsync();
        Assert.NotEqual(figures, Figures(world));
        Assert.Equal(2, world.Events());
        Assert.Empty(await CheckAsync(world));
    }

    [Fact]
    public async Task A_click_that_was_paid_for_is_not_paid_for_again_by_another_who_follows_it()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Verdicts.KeepAsync([new(test.Id, test.Pages[0], "Keep A.", "{}")], "by hand");
        var note = new VisitNote(Device.Phone, "", "", false, null, "paid") { Click = new AdClick("click-1", 500_000) };
        JournalEvent Comes() =>
            world.Reaches(test, VisitorId.New(world.Time.GetUtcNow(), world.Chance)) with
            {
                Step = test.Step,
                Data = note.ToString(),
            };
        await world.Journal.AppendAsync(Comes());
        world.Time.Advance(TimeSpan.FromDays(1));
        await world.Journal.AppendAsync(Comes());
        await world.Journal.WhenProjectedAsync();
        var thinning = new VisitThinning(world.Database, world.Journal);
        Assert.Equal(1, await thinning.RunAsync(world.Time.GetUtcNow()));
        Assert.Empty(await CheckAsync(world));

        world.Time.Advance(TimeSpan.FromDays(1));
        await world.Journal.AppendAsync(Comes());
        await world.Journal.WhenProjectedAsync();
        // The second goes, whose click was the first's.
        Assert.Equal(1, await thinning.RunAsync(world.Time.GetUtcNow()));
        Assert.Empty(await CheckAsync(world));
        Assert.Equal(500_000, world.Database.Read(c => c.Number("SELECT sum(told_cost) FROM source_tallies")));
    }

    private static JournalEvent LeftOut(World world, SplitTest test) =>
        new(Guid.CreateVersion7(), world.Time.GetUtcNow(), EventKind.LeftOut, default, test.Step, new(0), Data: "b");

    private static JournalEvent Opens(World world, SplitTest test, VisitorId visitor, string email) =>
        new(
            Guid.CreateVersion7(),
            world.Time.GetUtcNow(),
            EventKind.OptIn,
            visitor,
            test.Step,
            test.Pages[0],
            Data: email
        );

    private static JournalEvent Buys(World world, VisitorId visitor, string order)
    {
        var sale = new SaleNotice(SaleKind.Sale, order, "", 4900, "USD", Email: $"{order}@example.com");
        return new(sale.Id(), world.Time.GetUtcNow(), EventKind.Sale, visitor, new(0), new(0), Data: sale.ToJson());
    }

    private static List<Guid> Visitors(World world) =>
        world.Database.Read(c =>
            c.Rows("SELECT DISTINCT visitor FROM events", row => new Guid((byte[])row.GetValue(0), bigEndian: true))
        );

    private static string Figures(World world) =>
        string.Join(
            '\n',
            world
                .Tables()
                .Split('\n')
                .Where(line =>
                    !OfVisitors.Append("test_silences").Contains(line[..line.IndexOf(':', StringComparison.Ordinal)])
                )
        );

    private static async Task<IReadOnlyList<string>> CheckAsync(World world)
    {
        var working = TemporaryFolder.Create("check");
        try
        {
            return await DataCheck.RunAsync(new DataPaths(world.Path), working, (_, _) => { });
        }
        finally
        {
            TemporaryFolder.Delete(working);
        }
    }

    /// <summary>Two months of a funnel: two tests one after the other, with all that visitors do.</summary>
    private sealed class Past(World world, int seed)
    {
        private readonly Random _random = new(seed);
        private readonly List<VisitorId> _visitors = [];
        private SplitTest _test = null!;
        private GoalId _goal;
        private int _orders;

        public async Task RunAsync()
        {
            _test = await world.StartTestAsync();
            await world.Goals.AddAsync(_test.Id, new(GoalKind.Signal, "Asked") { Value = 250, EveryTime = true });
            _goal = world.Goals.ForTest(_test.Id).Single(goal => goal.Goal.Name == "Asked").Id;
            await GoOnAsync(200);
            await world.Tests.ChangeWeightsAsync(_test.Id, Weights.Create(70, 30));
            await GoOnAsync(200);
            await world.Verdicts.KeepAsync([new(_test.Id, _test.Pages[1], "Keep B.", "{}")], "by hand");
            await GoOnAsync(150);
            var next = await world.Tests.StartAsync(
                new(_test.Step, _test.Goal, "Next", "", 0.1, 0.2, [.. _test.Pages], Weights.Create(50, 50))
            );
            _test = world.Tests.Find(next!.Value)!;
            await GoOnAsync(150);
        }

        public async Task GoOnAsync(int count)
        {
            for (var i = 0; i < count; i++)
            {
                world.Time.Advance(TimeSpan.FromMinutes(1 + _random.Next(250)));
                await world.Journal.AppendAsync(Next());
            }
            await world.Journal.WhenProjectedAsync();
            // What happens at the very moment of a decision is another matter.
            world.Time.Advance(TimeSpan.FromMinutes(1));
        }

        private JournalEvent Next()
        {
            if (_visitors.Count == 0 || _random.Next(2) == 0)
                return Come();
            // Mostly those of the last days; now and then somebody from the beginning.
            var visitor = _visitors[
                _random.Next(_random.Next(30) == 0 ? 0 : Math.Max(0, _visitors.Count - 10), _visitors.Count)
            ];
            return _random.Next(9) switch
            {
                0 => Opens(world, _test, visitor, $"visitor{_random.Next(40)}@example.com"),
                1 => Buys(world, visitor, $"L-{_orders++}"),
                2 or 3 => Tells(visitor, EventKind.Met, new GoalNote(_goal, 0).ToString()),
                4 => Tells(visitor, EventKind.Stay, new StayNote(_random.Next(60_000), true).ToString()),
                5 => LeftOut(world, _test),
                _ => world.Reaches(_test, visitor),
            };
        }

        private JournalEvent Tells(VisitorId visitor, EventKind kind, string data) =>
            new(Guid.CreateVersion7(), world.Time.GetUtcNow(), kind, visitor, _test.Step, _test.Pages[0], Data: data);

        private JournalEvent Come()
        {
            AdClick? click = _random.Next(3) == 0 ? new AdClick($"click-{_random.Next(300)}", 250_000) : null;
            var source = click is null && _random.Next(2) == 0 ? "" : "paid";
            var note = new VisitNote((Device)_random.Next(3), "GB", "en", false, null, source) { Click = click };
            var visitor = VisitorId.New(world.Time.GetUtcNow(), world.Chance);
            _visitors.Add(visitor);
            if (world.Tests.Find(_test.Id)!.DecidedAt is not null)
                return world.Reaches(_test, visitor) with { Step = _test.Step, Data = note.ToString() };
            return world.Enrols(_test, _random.Next(2)) with { Visitor = visitor, Data = note.ToString() };
        }
    }
}
