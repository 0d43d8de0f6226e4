using System.Diagnostics;
using System.Text;
using Wexil.App;
using Wexil.App.Monitoring;
using Wexil.App.Results;
using Wexil.App.Visits;
using Wexil.App.Wording;
using Wexil.Core.AdNetworks;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Pages;
using Wexil.Core.Sales;
using Wexil.Core.Simulation;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Demo.Simulators;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Web.Hosting;

namespace Wexil.Demo;

/// <summary>
/// Larkrow Balcony Gardens, made up: two funnels, and a few weeks of simulated visitors recorded as real ones are. One
/// test is ready to keep, one is too early, one has a problem.
/// </summary>
public sealed class DemoWorld
{
    private const int Seed = 2211;
    private static readonly PageFile[] Pictures =
    [
        .. new[] { "seedlings.svg", "rail-planter.svg" }.Select(name => new PageFile(
            $"files/{name}",
            Encoding.UTF8.GetBytes(Source(name))
        )),
    ];
    private static readonly (string Tag, int Weight)[] CalendarSources =
    [
        ("forum-ads", 58),
        ("sunday-letter", 27),
        ("", 15),
    ];
    private static readonly Dictionary<StepId, PageId> NoTies = [];
    private readonly Database _database;
    private readonly Journal _journal;
    private readonly Routes _routes;
    private readonly VisitService _visits;
    private readonly IServiceProvider _services;
    private readonly SimulatorAddresses _simulators;
    private readonly DateTimeOffset _now;
    private readonly SimulatedCrowd _crowd = new(Seed),
        _traits = new(Seed + 1),
        _readers = new(Seed + 2),
        _buyers = new(Seed + 3),
        _stayers = new(Seed + 4);
    private readonly List<Task> _recording = [];
    private long _visitors,
        _reader,
        _order = 4000;

    private DemoWorld(WexilHost host, SimulatorAddresses simulators)
    {
        _simulators = simulators;
        _services = host.Services;
        (_database, _journal, _routes, _visits) = (
            host.Database,
            host.Journal,
            _services.GetRequiredService<Routes>(),
            _services.GetRequiredService<VisitService>()
        );
        _now = _services.GetRequiredService<TimeProvider>().GetUtcNow();
    }

    /// <summary>Fills an empty store; one that has funnels already is left as it is.</summary>
    public static async Task FillAsync(WexilHost host, TextWriter says, SimulatorAddresses? simulators = null)
    {
        if (host.Services.GetRequiredService<FunnelStore>().All().Count > 0)
            return;
        var world = new DemoWorld(host, simulators ?? SimulatorAddresses.Default);
        var watch = Stopwatch.StartNew();
        var settings = host.Services.GetRequiredService<SettingStore>();
        await settings.RenewHookSecretAsync();
        // The made-up site lies on this machine.
        await settings.SetFetchesPrivateAddressesAsync(true);
        await world.BalconyHarvestAsync();
        await world.HerbClubAsync();
        await Task.WhenAll(world._recording);
        await host.Journal.WhenProjectedAsync();
        // The hourly look, without waiting for the hour.
        await host.Services.GetRequiredService<TestMonitor>().LookAsync();
        await says.WriteLineAsync(
            $"{Format.Count(world._visitors)} simulated visitors recorded and counted in "
                + $"{watch.Elapsed.TotalSeconds:0.0} seconds."
        );
    }

    private const string NetworkTag = "windowbox";

    private async Task BalconyHarvestAsync()
    {
        var began = _now.AddDays(-62);
        var funnel = await At(began).Funnels.CreateAsync("Balcony Harvest");
        var calendar = await StepAsync(funnel, StepKind.OptIn, "Planting calendar", "calendar");
        var inbox = await StepAsync(funnel, StepKind.ThankYou, "Check your inbox", "inbox");
        var kit = await StepAsync(funnel, StepKind.Sales, "Harvest Kit", "kit");
        var checkout = await StepAsync(funnel, StepKind.Checkout, "Checkout", "checkout");
        var light = await StepAsync(funnel, StepKind.Upsell, "Winter light", "light");
        var received = await StepAsync(funnel, StepKind.ThankYou, "Order received", "received");

        var first = await PageAsync(
            began,
            calendar,
            "A gift for your balcony",
            Source("calendar.html")
                .Replace(
                    "Your free balcony planting calendar</h1>",
                    "A gift for your balcony</h1>",
                    StringComparison.Ordinal
                )
        );
        await PageAsync(began, inbox, "Check your inbox", Source("inbox.html"));
        var kitA = await PageAsync(began, kit, "Kit, as it was", Source("kit.html"));
        await OutsideAsync(began, checkout, "Checkout", new Uri(_simulators.Till, "order/kit"));
        await PageAsync(
            began,
            light,
            "Winter light",
            Source("light.html")
                .Replace(
                    "href=\"#\" data-wexil=\"buy\"",
                    $"href=\"{new Uri(_simulators.Till, "order/light")}\" data-wexil=\"buy\"",
                    StringComparison.Ordinal
                )
        );
        await OutsideAsync(began, received, "Order received", "order-received");

        await SourcesAsync(funnel);

        // Settled a month ago: the headline that the tests of today start from.
        var named = await CloneAsync(began, first, "Calendar, as it was", source =>
            source.Replace(
                "A gift for your balcony</h1>",
                "Your free balcony planting calendar</h1>",
                StringComparison.Ordinal
            )
        );
        var headline = await StartAsync(
            began,
            new(
                calendar.Id,
                inbox.Id,
                "Headline",
                "A promise of something useful beats a promise of a gift.",
                0.2,
                0.2,
                [first, named],
                Weights.Even(2)
            )
        );
        Visits(calendar, began, _now.AddDays(-38), 230, [(first, 0.205), (named, 0.262)], [(inbox, 1)]);
        await Recorded();
        await KeepAsync(_now.AddDays(-38), headline, named);
        await LearnAsync(headline, "Say what it is good for. That it is a gift can wait.");

        var started = _now.AddDays(-12);
        var darker = await CloneAsync(_now.AddDays(-38), named, "A darker button", source =>
            source.Replace(
                "background: #2d6a3e; border-color: #2d6a3e",
                "background: #123f1f; border-color: #123f1f",
                StringComparison.Ordinal
            )
        );
        var button = await StartAsync(
            _now.AddDays(-38),
            new(
                calendar.Id,
                inbox.Id,
                "Button colour",
                "A darker button is easier to find on a phone.",
                0.26,
                0.2,
                [named, darker],
                Weights.Even(2)
            )
        );
        Visits(calendar, _now.AddDays(-38), started, 220, [(named, 0.268), (darker, 0.268)], [(inbox, 1)]);
        await Recorded();
        await KeepAsync(started, button, named);
        await LearnAsync(
            button,
            "The button is found well enough. Change what the page says, not what it is painted with."
        );

        var salad = await CloneAsync(started, named, "“First salad in 21 days”", source =>
            source.Replace(
                "Your free balcony planting calendar</h1>",
                "Your first balcony salad in 21 days</h1>",
                StringComparison.Ordinal
            )
        );
        var photo = await CloneAsync(started, named, "Photo of the rail planter", source =>
            source.Replace(
                "files/seedlings.svg\" alt=\"Rows of seedlings in a planter",
                "files/rail-planter.svg\" alt=\"A planter on a balcony rail, in flower",
                StringComparison.Ordinal
            )
        );

        var kitStarted = _now.AddDays(-26);
        var kitB = await CloneAsync(kitStarted, kitA, "The guarantee beside the price", source =>
            source.Replace(
                "Grows, or your money back until the first of July.",
                "<b>It grows, or you get your money back.</b> Until the first of July, no questions.",
                StringComparison.Ordinal
            )
        );
        await StartAsync(
            kitStarted,
            new(
                kit.Id,
                received.Id,
                "Guarantee",
                "Whoever doubts looks at the price, not at the foot of the page.",
                0.05,
                0.2,
                [kitA, kitB],
                Weights.Even(2)
            )
        );
        (Step, double)[] buying = [(checkout, 1), (light, 0.536), (received, 0.942)];
        Visits(kit, kitStarted, _now, 900, [(kitA, 0.107), (kitB, 0.137)], buying, sells: true);

        await StartAsync(
            started,
            new(
                calendar.Id,
                inbox.Id,
                "What the calendar promises",
                "A promise with a date beats a promise of a calendar.",
                0.26,
                0.2,
                [named, salad, photo],
                Weights.Create(40, 40, 20)
            )
        );
        await AddGoalsAsync(
            started,
            calendar,
            new(GoalKind.Sale, "Kit bought")
            {
                ValueComes = true,
                EveryTime = true,
                WindowDays = 30,
            },
            new(GoalKind.Step, "Came to the kit") { Step = kit.Id }
        );
        // Readers of the calendar go on to the kit. Who came for a salad in three weeks takes a guarantee at its word.
        Visits(
            calendar,
            started,
            _now,
            340,
            [(named, 0.268), (salad, 0.289), (photo, 0.276)],
            [(inbox, 1)],
            next: new(
                kit,
                0.9,
                (read, offered) =>
                    (read == salad, offered == kitB) switch
                    {
                        (true, true) => 0.95,
                        (false, true) => 0.22,
                        _ => 0.22,
                    },
                buying
            )
        );

        await _services
            .GetRequiredService<PeopleStore>()
            .SetRuleAsync("salad", At(started).Tests.ForStep(calendar.Id)[0].Id, salad);

        // A correction made to the first page only: its clones do not have it yet.
        var pages = At(_now.AddDays(-2)).Pages;
        var corrected = pages.Find(first)!;
        await pages.PublishAsync(
            corrected,
            pages
                .Source(corrected)
                .Replace("you can leave whenever you like", "you can leave with one click", StringComparison.Ordinal),
            "The small print, corrected"
        );

        await Recorded();
    }

    /// <summary>The link that the demo's ad network sends people to.</summary>
    public static string NetworkLink(WexilHost host) =>
        host.Services.GetRequiredService<VisitorsAddress>().Link("calendar")
        + $"?s={NetworkTag}&click={{click_id}}&cost={{cost}}";

    private async Task SourcesAsync(Funnel funnel)
    {
        var sources = _services.GetRequiredService<SourceStore>();
        await sources.SaveAsync(funnel.Id, null, "forum-ads", "Garden forum ads", SourceKind.Ad, null, NoTies);
        await sources.SaveAsync(funnel.Id, null, "sunday-letter", "Sunday letter", SourceKind.Letter, null, NoTies);
        await sources.SaveAsync(funnel.Id, null, NetworkTag, "Windowbox ads", SourceKind.Ad, null, NoTies);
        await sources.SetNetworkAsync(
            sources.ForFunnel(funnel.Id).Single(source => source.Tag == NetworkTag).Id,
            new(
                LinkPart.Parse("click={click_id}")!.Value,
                LinkPart.Parse("cost={cost}"),
                5_000_000,
                PostbackAddress
                    .Read(_simulators.Network.GetLeftPart(UriPartial.Authority) + AdNetwork.PostbackPath)
                    .Address,
                TellsOptIns: true,
                TellsSales: true
            )
        );
        var rates = _services.GetRequiredService<RateStore>();
        var day = DateOnly.FromDateTime(_now.UtcDateTime);
        await rates.SetAsync(new(Currency.Find("EUR")!, day.AddDays(-70), 1.08m));
        await rates.SetAsync(new(Currency.Find("EUR")!, day.AddDays(-9), 1.1m));
        var ads = sources.ForFunnel(funnel.Id).Single(source => source.Tag == "forum-ads");
        var today = DateOnly.FromDateTime(_now.UtcDateTime);
        await sources.SetCostsAsync([
            .. Enumerable
                .Range(1, 60)
                .Select(ago => new DayCost(ads.Id, today.AddDays(-ago), 21000 + 47 * (ago * 7919 % 200))),
        ]);
        await _services.GetRequiredService<FunnelStore>().SetSaleWorthAsync(funnel.Id, 3900);
    }

    private async Task HerbClubAsync()
    {
        var began = _now.AddDays(-15);
        var funnel = await At(began).Funnels.CreateAsync("Herb Club");
        var swap = await StepAsync(funnel, StepKind.OptIn, "Seed swap", "swap");
        var list = await StepAsync(funnel, StepKind.ThankYou, "On the list", "swap-list");
        var a = await OutsideAsync(began, swap, "Swap page", "swap");
        var b = await OutsideAsync(began, swap, "“Three out, three in”", "swap-now");
        await OutsideAsync(began, list, "On the list", "swap-thanks");
        await StartAsync(
            began,
            new(swap.Id, list.Id, "Swap headline", "Numbers say it quicker.", 0.3, 0.2, [a, b], Weights.Even(2))
        );
        // The thank-you page lost its script yesterday: visitors still come, and nothing is counted any more.
        var lost = new DateTimeOffset(_now.UtcDateTime.Date, TimeSpan.Zero).AddDays(-1).AddHours(18).AddMinutes(40);
        Visits(swap, began, _now, 150, [(a, 0.31), (b, 0.33)], [(list, 1)], countedUntil: lost, sources: [("", 1)]);
        await Recorded();
    }

    /// <summary>Visitors of a step, and those of them who reach the goal by the steps in between.</summary>
    private void Visits(
        Step step,
        DateTimeOffset from,
        DateTimeOffset until,
        double perDay,
        (PageId Page, double Rate)[] rates,
        (Step Step, double Rate)[] onward,
        DateTimeOffset? countedUntil = null,
        (string Tag, int Weight)[]? sources = null,
        Next? next = null,
        bool sells = false
    )
    {
        var table = _routes.Current;
        var pages = table.Pages.ToDictionary(page => page.Id);
        foreach (var at in _crowd.Arrivals(from, until, perDay))
        {
            var visitor = _visits.NewVisitor(at);
            var traits = new Traits(
                _traits.OneOf((Device.Phone, 56), (Device.Desktop, 36), (Device.Tablet, 8)),
                _traits.OneOf(("US", 62), ("GB", 17), ("CA", 11), ("AU", 6), ("DE", 4)),
                _traits.OneOf(("en", 94), ("es", 4), ("de", 2)),
                Source: _traits.OneOf(sources ?? CalendarSources)
            );
            var shown = Visit(table.Step(step.Id)!, visitor, at, traits);
            _visitors++;
            if (step.Kind == StepKind.OptIn)
                Stay(pages[shown], visitor, at);
            var then = at;
            if (!_crowd.Does(rates.Single(rate => rate.Page == shown).Rate))
                continue;
            if (next is not null)
                OptIn(pages[shown], visitor, at);
            then = Walk(_crowd, visitor, traits, then, onward, countedUntil ?? _now, sells);
            if (next is null || !_readers.Does(next.Share))
                continue;
            then += 40 * _readers.Hesitates();
            if (then >= _now)
                continue;
            var offered = Visit(table.Step(next.Step.Id)!, visitor, then, traits with { Source = "" });
            if (_readers.Does(next.Rate(shown, offered)))
                Walk(_readers, visitor, traits, then, next.Onward, _now, sells: true);
        }
    }

    /// <summary>A visitor who goes on from step to step, as far as each step's rate lets them.</summary>
    private DateTimeOffset Walk(
        SimulatedCrowd crowd,
        VisitorId visitor,
        Traits traits,
        DateTimeOffset from,
        (Step Step, double Rate)[] onward,
        DateTimeOffset until,
        bool sells = false
    )
    {
        var then = from;
        foreach (var (step, rate) in onward)
        {
            if (!crowd.Does(rate))
                break;
            then += crowd.Hesitates();
            if (then >= until)
                continue;
            Visit(_routes.Current.Step(step.Id)!, visitor, then, traits with { Source = "" });
            // Behind the checkout the kit is paid for.
            if (sells && step.Kind == StepKind.Upsell)
                Buy(visitor, then, traits.Country == "DE");
        }
        return then;
    }

    /// <summary>A buyer of the kit; one in four adds the light, and one in thirty sends it all back.</summary>
    private void Buy(VisitorId visitor, DateTimeOffset at, bool paysEuros)
    {
        var order = $"K-{++_order}";
        var (currency, kit, light) = paysEuros ? ("EUR", 4500, 2200) : ("USD", 4900, 2400);
        Tell(new(SaleKind.Sale, order, "1", kit, currency, "Balcony Harvest Kit"), at);
        if (_buyers.Does(0.25))
            Tell(new(SaleKind.Sale, order, "2", light, currency, "Winter light"), at + _buyers.Hesitates());
        if (_buyers.Does(0.033))
            Tell(new(SaleKind.Refund, order, "1", kit, currency), at.AddDays(3));

        void Tell(SaleNotice notice, DateTimeOffset then)
        {
            if (then < _now)
                _recording.Add(_services.GetRequiredService<SaleStore>().RecordAsync(notice, visitor, null, then));
        }
    }

    /// <summary>A reader's address, made up.</summary>
    private void OptIn(RoutePage page, VisitorId visitor, DateTimeOffset at)
    {
        var name = _stayers.OneOf(
            ("ada", 1),
            ("bela", 1),
            ("cora", 1),
            ("dag", 1),
            ("enid", 1),
            ("finn", 1),
            ("gus", 1),
            ("hella", 1),
            ("ivo", 1),
            ("june", 1)
        );
        _recording.Add(
            _journal.AppendAsync(
                new(
                    Guid.CreateVersion7(at),
                    at,
                    EventKind.OptIn,
                    visitor,
                    page.Step,
                    page.Id,
                    Data: $"{name}.{++_reader}@balcony.example"
                )
            )
        );
    }

    /// <summary>Some leave at once, others read on, longer on phones or not.</summary>
    private void Stay(RoutePage page, VisitorId visitor, DateTimeOffset at)
    {
        var reads = _stayers.Does(0.71);
        var stayed = reads ? TimeSpan.FromSeconds(10) + _stayers.Hesitates() / 2 : TimeSpan.FromSeconds(4);
        if (at + stayed < _now)
            _recording.Add(
                _journal.AppendAsync(
                    new(
                        Guid.CreateVersion7(at + stayed),
                        at + stayed,
                        EventKind.Stay,
                        visitor,
                        page.Step,
                        page.Id,
                        Data: new StayNote((long)stayed.TotalMilliseconds, reads).ToString()
                    )
                )
            );
    }

    private PageId Visit(RouteStep step, VisitorId visitor, DateTimeOffset at, Traits traits)
    {
        var visit = new Visit(visitor, at, traits);
        _recording.Add(_visits.VisitAsync(step, visit, known: false).AsTask());
        return _visits.Peek(step, visit, known: false)!.Value.Page.Id;
    }

    private async Task Recorded()
    {
        await Task.WhenAll(_recording);
        _recording.Clear();
        await _journal.WhenProjectedAsync();
    }

    private async Task<Step> StepAsync(Funnel funnel, StepKind kind, string name, string slug) =>
        await At(_now).Funnels.AddStepAsync(funnel.Id, kind, name, slug)
        ?? throw new StoreException($"The demo's link {slug} is taken.");

    private async Task<PageId> PageAsync(DateTimeOffset at, Step step, string name, string html)
    {
        var page = await At(at)
            .Pages.AddAsync(
                step.Id,
                name,
                new PageBundle([new("index.html", Encoding.UTF8.GetBytes(html)), .. Pictures], "index.html")
            );
        _routes.Reload();
        return page;
    }

    private Task<PageId> OutsideAsync(DateTimeOffset at, Step step, string name, string path) =>
        OutsideAsync(at, step, name, new Uri(_simulators.Site, path));

    private async Task<PageId> OutsideAsync(DateTimeOffset at, Step step, string name, Uri address)
    {
        var page = await At(at).Pages.AddAsync(step.Id, name, address);
        _routes.Reload();
        return page;
    }

    private async Task<PageId> CloneAsync(DateTimeOffset at, PageId parent, string name, Func<string, string> change)
    {
        var pages = At(at).Pages;
        var clone = pages.Find(await pages.CloneAsync(pages.Find(parent)!, name))!;
        await pages.PublishAsync(clone, change(pages.Source(clone)), name);
        _routes.Reload();
        return clone.Id;
    }

    private async Task<TestId> StartAsync(DateTimeOffset at, TestPlan plan)
    {
        var test = await At(at).Tests.StartAsync(plan)
            ?? throw new StoreException("The demo's test could not be started.");
        _routes.Reload();
        return test;
    }

    private async Task AddGoalsAsync(DateTimeOffset at, Step step, params Goal[] goals)
    {
        var test = At(at).Tests.ForStep(step.Id)[0].Id;
        foreach (var goal in goals)
            await new GoalStore(_database, _journal, new Moment(at)).AddAsync(test, goal);
        _routes.Reload();
    }

    private async Task KeepAsync(DateTimeOffset at, TestId test, PageId page)
    {
        var reading = _services
            .GetRequiredService<TestReader>()
            .Read(At(at).Tests.Find(test)!, At(at).Funnels.AllSteps());
        await new VerdictRecorder(
            new VerdictStore(_database, _journal, new Moment(at)),
            _services.GetRequiredService<TallyStore>(),
            _services.GetRequiredService<SettingStore>()
        ).KeepAsync(reading, page, VerdictStore.ByHand);
        _routes.Reload();
    }

    private Task LearnAsync(TestId test, string words) => At(_now).Tests.SetLearnedAsync(test, words);

    private (FunnelStore Funnels, PageStore Pages, TestStore Tests) At(DateTimeOffset moment)
    {
        var time = new Moment(moment);
        return (new(_database, _journal, time), new(_database, _journal, time), new(_database, _journal, time));
    }

    private static string Source(string name)
    {
        using var reader = new StreamReader(
            typeof(DemoWorld).Assembly.GetManifestResourceStream($"Wexil.Demo.Pages.{name}")!
        );
        return reader.ReadToEnd();
    }

    /// <summary>
    /// A later step that a share of those who reached the goal go on to, and how many of them buy there, by both pages.
    /// </summary>
    private sealed record Next(
        Step Step,
        double Share,
        Func<PageId, PageId, double> Rate,
        (Step Step, double Rate)[] Onward
    );

    /// <summary>A clock that stands at a moment of the made-up past.</summary>
    private sealed class Moment(DateTimeOffset moment) : TimeProvider
    {
        public override DateTimeOffset GetUtcNow() => moment;
    }
}
