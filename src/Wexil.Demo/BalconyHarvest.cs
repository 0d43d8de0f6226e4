using Wexil.Core.AdNetworks;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.SplitTests;
using Wexil.Demo.Simulators;
using Wexil.Store;

namespace Wexil.Demo;

/// <summary>
/// A funnel of hosted pages from the opt-in to the upsell: two tests are decided, one of them checked since; one is
/// ready to keep, one is too early.
/// </summary>
internal sealed class BalconyHarvest(DemoBuilder demo, DemoVisitors visitors)
{
    private const string Promise = "Your free balcony planting calendar</h1>",
        Gift = "A gift for your balcony</h1>";

    private static readonly Dictionary<StepId, PageId> NoTies = [];

    private readonly DateTimeOffset _began = demo.Now.AddDays(-66),
        _headlineKept = demo.Now.AddDays(-52),
        _buttonStarted = demo.Now.AddDays(-38),
        _kitStarted = demo.Now.AddDays(-26),
        _started = demo.Now.AddDays(-12),
        _sectionsStarted = demo.Now.AddDays(-9);

    private Step _calendar = null!,
        _inbox = null!,
        _kit = null!,
        _checkout = null!,
        _light = null!,
        _received = null!;

    private (Step, double)[] Buying => [(_checkout, 1), (_light, 0.536), (_received, 0.942)];

    public async Task MakeAsync()
    {
        var funnel = await demo.At(_began).Funnels.CreateAsync("Balcony Harvest");
        await StepsAsync(funnel);
        var (gift, kit) = await PagesAsync();
        await SourcesAsync(funnel);
        var calendar = await HeadlineAsync(gift);
        await ButtonAsync(calendar);
        var guarantee = await GuaranteeAsync(kit);
        var sections = await SectionsAsync(kit, guarantee);
        await PromiseAsync(calendar, guarantee, sections);
        await CorrectAsync(gift);
        await visitors.RecordedAsync();
    }

    private async Task StepsAsync(Funnel funnel)
    {
        _calendar = await demo.StepAsync(funnel, StepKind.OptIn, "Planting calendar", "calendar");
        _inbox = await demo.StepAsync(funnel, StepKind.ThankYou, "Check your inbox", "inbox");
        _kit = await demo.StepAsync(funnel, StepKind.Sales, "Harvest Kit", "kit");
        _checkout = await demo.StepAsync(funnel, StepKind.Checkout, "Checkout", "checkout");
        _light = await demo.StepAsync(funnel, StepKind.Upsell, "Winter light", "light");
        _received = await demo.StepAsync(funnel, StepKind.ThankYou, "Order received", "received");
    }

    /// <returns>The first pages of the calendar and of the kit.</returns>
    private async Task<(PageId Gift, PageId Kit)> PagesAsync()
    {
        var till = demo.Simulators.Till;
        var light = Changed(
            DemoBuilder.Source("light.html"),
            "href=\"#\" data-wexil=\"buy\"",
            $"href=\"{new Uri(till, "order/light")}\" data-wexil=\"buy\""
        );
        var gift = await demo.PageAsync(
            _began,
            _calendar,
            "A gift for your balcony",
            Changed(DemoBuilder.Source("calendar.html"), Promise, Gift)
        );
        await demo.PageAsync(_began, _inbox, "Check your inbox", DemoBuilder.Source("inbox.html"));
        var kit = await demo.PageAsync(_began, _kit, "Original kit", DemoBuilder.Source("kit.html"));
        await demo.OutsideAsync(_began, _checkout, "Checkout", new Uri(till, "order/kit"));
        await demo.PageAsync(_began, _light, "Winter light", light);
        await demo.OutsideAsync(_began, _received, "Order received", "order-received");
        return (gift, kit);
    }

    /// <summary>
    /// Settled two months ago, and checked for two weeks: the headline that the tests of today start from.
    /// </summary>
    private async Task<PageId> HeadlineAsync(PageId gift)
    {
        var named = await demo.CloneAsync(_began, gift, "Original calendar", page => Changed(page, Gift, Promise));
        var test = await demo.StartAsync(
            _began,
            OnCalendar(
                "Headline",
                "A promise of something useful beats a promise of a gift.",
                0.2,
                [gift, named],
                Weights.Even(2)
            )
        );
        (PageId, double)[] rates = [(gift, 0.205), (named, 0.262)];
        visitors.Come(_calendar, _began, _headlineKept, 230, rates, [(_inbox, 1)]);
        await visitors.RecordedAsync();
        await demo.KeepAsync(_headlineKept, test, named, new(20, 2, TakesBack: true));
        visitors.Come(_calendar, _headlineKept, _buttonStarted, 230, rates, [(_inbox, 1)]);
        await visitors.RecordedAsync();
        await demo.KeepAsync(_buttonStarted, demo.CheckOn(_calendar), named);
        await demo.LearnAsync(test, "Lead with the use, not with the gift.");
        return named;
    }

    private async Task ButtonAsync(PageId calendar)
    {
        var darker = await demo.CloneAsync(_buttonStarted, calendar, "A darker button", page =>
            Changed(page, "background: #2d6a3e; border-color: #2d6a3e", "background: #123f1f; border-color: #123f1f")
        );
        var test = await demo.StartAsync(
            _buttonStarted,
            OnCalendar(
                "Button color",
                "A darker button is easier to find on a phone.",
                0.26,
                [calendar, darker],
                Weights.Even(2)
            )
        );
        visitors.Come(_calendar, _buttonStarted, _started, 220, [(calendar, 0.268), (darker, 0.268)], [(_inbox, 1)]);
        await visitors.RecordedAsync();
        await demo.KeepAsync(_started, test, calendar);
        await demo.LearnAsync(test, "The button is easy enough to find. Change the words, not the color.");
    }

    /// <summary>Two parts of the kit's pages, tested at once beside the pages themselves.</summary>
    private async Task<DemoVisitors.Effect[]> SectionsAsync(PageId kit, PageId guarantee)
    {
        var headline = await SectionAsync(
            "Headline",
            "kit-headline",
            ("<h1>A harvest from two square metres</h1>", "Salad, from March to October"),
            "<h1>Salad from your own rail, from March to October</h1>",
            "What one eats beats what one needs for it."
        );
        var button = await SectionAsync(
            "Order button",
            "kit-button",
            ("<p><a class=\"button\" href=\"/go/checkout\">Order the kit</a></p>", "Send me the kit"),
            "<p><a class=\"button\" href=\"/go/checkout\">Send me the kit</a></p>",
            "Words of one’s own are pressed sooner."
        );
        DemoVisitors.Effect[] sections =
        [
            new(headline.Section, headline.Other, 1.13),
            new(button.Section, button.Other, 1.01),
        ];
        visitors.Come(
            _kit,
            _kitStarted,
            demo.Now,
            900,
            [(kit, 0.107), (guarantee, 0.137)],
            Buying,
            sells: true,
            sections: sections
        );
        return sections;
    }

    private async Task<(Step Section, PageId Other)> SectionAsync(
        string name,
        string key,
        (string Source, string Other) first,
        string other,
        string idea
    )
    {
        var section = await demo.SectionAsync(_began, _kit, name, key, first.Source);
        var asItIs = demo.Get<PageStore>().ForStep(section.Id).Single().Id;
        var version = await demo.At(_sectionsStarted).Pages.AddVersionAsync(section.Id, first.Other, other);
        PageId[] versions = [asItIs, version];
        TestPlan plan = new(section.Id, _received.Id, name, idea, 0.06, 0.2, versions, Weights.Even(2));
        await demo.StartAsync(_sectionsStarted, plan);
        return (section, version);
    }

    private async Task<PageId> GuaranteeAsync(PageId kit)
    {
        var guarantee = await demo.CloneAsync(_kitStarted, kit, "The guarantee beside the price", page =>
            Changed(
                page,
                "Grows, or your money back until the first of July.",
                "<b>It grows, or you get your money back.</b> Until the first of July, no questions."
            )
        );
        await demo.StartAsync(
            _kitStarted,
            new(
                _kit.Id,
                _received.Id,
                "Guarantee",
                "Doubters look at the price, not at the bottom of the page.",
                0.05,
                0.2,
                [kit, guarantee],
                Weights.Even(2)
            )
        );
        return guarantee;
    }

    private async Task PromiseAsync(PageId calendar, PageId guarantee, DemoVisitors.Effect[] sections)
    {
        var salad = await demo.CloneAsync(_started, calendar, "“First salad in 21 days”", page =>
            Changed(page, Promise, "Your first balcony salad in 21 days</h1>")
        );
        var photo = await PhotoAsync(calendar);
        var test = await demo.StartAsync(
            _started,
            OnCalendar(
                "What the calendar promises",
                "A promise with a date beats a promise of a calendar.",
                0.26,
                [calendar, salad, photo],
                Weights.Create(40, 40, 20)
            )
        );
        await demo.AddGoalsAsync(
            _started,
            _calendar,
            KitBought,
            new(GoalKind.Step, "Came to the kit") { Step = _kit.Id }
        );
        // Readers of the calendar go on to the kit. Who came for a salad in three weeks takes a guarantee at its word.
        double Buys(PageId read, PageId offered) => read == salad && offered == guarantee ? 0.95 : 0.22;
        visitors.Come(
            _calendar,
            _started,
            demo.Now,
            340,
            [(calendar, 0.268), (salad, 0.289), (photo, 0.276)],
            [(_inbox, 1)],
            next: new(_kit, 0.9, Buys, Buying, sections)
        );
        await demo.Get<PeopleStore>().SetRuleAsync("salad", test, salad);
    }

    private Task<PageId> PhotoAsync(PageId calendar) =>
        demo.CloneAsync(_started, calendar, "Photo of the rail planter", page =>
            Changed(
                page,
                "files/seedlings.svg\" alt=\"Rows of seedlings in a planter",
                "files/rail-planter.svg\" alt=\"A planter on a balcony rail, in flower"
            )
        );

    private static Goal KitBought =>
        new(GoalKind.Sale, "Kit bought")
        {
            ValueComes = true,
            EveryTime = true,
            WindowDays = 30,
        };

    /// <summary>A correction made to the first page only: its clones do not have it yet.</summary>
    private async Task CorrectAsync(PageId gift)
    {
        var pages = demo.At(demo.Now.AddDays(-2)).Pages;
        var page = pages.Find(gift)!;
        await pages.PublishAsync(
            page,
            Changed(pages.Source(page), "you can leave whenever you like", "you can leave with one click"),
            "The small print, corrected"
        );
    }

    private TestPlan OnCalendar(string name, string idea, double baseRate, PageId[] pages, Weights weights) =>
        new(_calendar.Id, _inbox.Id, name, idea, baseRate, 0.2, pages, weights);

    private static string Changed(string page, string from, string to) =>
        page.Replace(from, to, StringComparison.Ordinal);

    private async Task SourcesAsync(Funnel funnel)
    {
        var sources = demo.Get<SourceStore>();
        await sources.SaveAsync(funnel.Id, null, "forum-ads", "Garden forum ads", SourceKind.Ad, null, NoTies);
        await sources.SaveAsync(funnel.Id, null, "sunday-letter", "Sunday letter", SourceKind.Letter, null, NoTies);
        await sources.SaveAsync(funnel.Id, null, DemoWorld.NetworkTag, "Windowbox ads", SourceKind.Ad, null, NoTies);
        await sources.SetNetworkAsync(
            sources.ForFunnel(funnel.Id).Single(source => source.Tag == DemoWorld.NetworkTag).Id,
            new(
                LinkPart.Parse("click={click_id}")!.Value,
                LinkPart.Parse("cost={cost}"),
                5_000_000,
                PostbackAddress
                    .Read(demo.Simulators.Network.GetLeftPart(UriPartial.Authority) + AdNetwork.PostbackPath)
                    .Address,
                TellsOptIns: true,
                TellsSales: true
            )
        );
        var rates = demo.Get<RateStore>();
        var day = DateOnly.FromDateTime(demo.Now.UtcDateTime);
        await rates.SetAsync(new(Currency.Find("EUR")!, day.AddDays(-70), 1.08m));
        await rates.SetAsync(new(Currency.Find("EUR")!, day.AddDays(-9), 1.1m));
        var ads = sources.ForFunnel(funnel.Id).Single(source => source.Tag == "forum-ads");
        var today = DateOnly.FromDateTime(demo.Now.UtcDateTime);
        await sources.SetCostsAsync([
            .. Enumerable
                .Range(1, 60)
                .Select(ago => new DayCost(ads.Id, today.AddDays(-ago), 21000 + 47 * (ago * 7919 % 200))),
        ]);
        await demo.Get<FunnelStore>().SetSaleWorthAsync(funnel.Id, 3900);
    }
}
