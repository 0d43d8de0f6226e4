using CsCheck;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Pages;
using Wexil.Core.Sales;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Tests;

/// <summary>Every coin lands on the page that earned it, once.</summary>
public sealed class SaleTests
{
    private static readonly Currency Usd = Currency.Find("USD")!;

    private static readonly LedgerFilter Always = new(DateTimeOffset.UnixEpoch, DateTimeOffset.MaxValue);

    [Fact]
    public async Task Sales_and_refunds_in_any_order_and_however_often_told_bring_each_page_the_same()
    {
        // Four buyers on two pages; orders of one or two lines, refunds of a part, of all and of more than all.
        SaleNotice Line(string order, string line, long amount) => new(SaleKind.Sale, order, line, amount, "USD");
        SaleNotice Back(string order, string refund, long amount) => new(SaleKind.Refund, order, refund, amount, "USD");
        (int Buyer, SaleNotice Notice)[] told =
        [
            (0, Line("L-1", "1", 4900)),
            (0, Line("L-1", "2", 2400)),
            (0, Back("L-1", "R-1", 2400)),
            (1, Line("L-2", "1", 4900)),
            (1, Back("L-2", "R-1", 4900)),
            (2, Line("L-3", "1", 4900)),
            (2, Line("L-4", "1", 2400)),
            (3, Line("L-5", "1", 4900)),
            (3, Back("L-5", "R-1", 9900)),
        ];
        await Gen.Shuffle(told.Concat(told.Take(4)).ToArray())
            .AlwaysHoldsAsync(
                async order =>
                {
                    using var world = new World();
                    var test = await world.StartTestAsync();
                    JournalEvent[] buyers = [.. Enumerable.Range(0, 4).Select(i => world.Enrols(test, i % 2))];
                    foreach (var buyer in buyers)
                        await world.Journal.AppendAsync(buyer);
                    foreach (var (buyer, notice) in order)
                        await world.Sales.RecordAsync(notice, buyers[buyer].Visitor, null, world.Time.GetUtcNow());
                    await world.Journal.WhenProjectedAsync();
                    var money = world.Tallies.Money(test, Usd);
                    // A: 4900 of the first buyer, 7300 of the third. B: nothing is left.
                    Assert.Equal(
                        (2, 3, 12_200.0, 4900.0 * 4900 + 7300.0 * 7300),
                        (money[0].Buyers, money[0].Orders, money[0].Revenue.Sum, money[0].Revenue.Squares)
                    );
                    Assert.Equal(
                        (2, 2, 0.0, 0.0),
                        (money[1].Buyers, money[1].Orders, money[1].Revenue.Sum, money[1].Revenue.Squares)
                    );
                    // The ledger says the same.
                    Assert.Equal(
                        money.Select(page => (page.Orders, (long)page.Revenue.Sum)),
                        world.Sales.Sums(Always, LedgerBy.Test).Select(sum => (sum.Orders, sum.Net))
                    );
                    Assert.Equal(
                        [(SourceStore.Unnamed, 5L, 12_200L)],
                        world.Sales.Sums(Always, LedgerBy.Source).Select(sum => (sum.Name, sum.Orders, sum.Net))
                    );

                    var once = world.Tables();
                    await world.Journal.RecountAsync();
                    await world.Journal.WhenProjectedAsync();
                    Assert.Equal(once, world.Tables());
                },
                iter: 12
            );
    }

    [Fact]
    public async Task An_orders_products_each_count_by_themselves_in_whatever_order_they_are_told()
    {
        SaleNotice Line(string order, string line, string product, long amount) =>
            new(SaleKind.Sale, order, line, amount, "USD", product);
        SaleNotice Back(string order, string product, long amount) =>
            new(SaleKind.Refund, order, $"R{product}", amount, "USD", product);
        (int Buyer, int? Page, SaleNotice Notice)[] told =
        [
            (0, 0, Line("L-1", "1", "Kit", 4900)),
            (0, 1, Line("L-1", "2", "Winter light", 2450)),
            (0, null, Back("L-1", "", 735)),
            (1, 0, Line("L-2", "1", "Kit", 4900)),
            (1, 1, Line("L-2", "2", "Winter light", 2450)),
            (1, null, Back("L-2", "Winter light", 2450)),
            (1, 1, Line("L-3", "", "Winter light", 2450)),
        ];
        await Gen.Shuffle(told)
            .AlwaysHoldsAsync(
                async order =>
                {
                    using var world = new World();
                    var test = await world.StartTestAsync();
                    Goal Sale(params string[] products) =>
                        new(GoalKind.Sale, string.Join("/", products)) { ValueComes = true, Products = products };
                    foreach (var wanted in (Goal[])[Sale("kit"), Sale("winter LIGHT"), Sale("Kit", "Winter light")])
                        await world.Goals.AddAsync(test.Id, wanted);
                    var goals = world.Goals.ForTest(test.Id);
                    JournalEvent[] buyers = [.. Enumerable.Range(0, 2).Select(i => world.Enrols(test, i))];
                    foreach (var buyer in buyers)
                        await world.Journal.AppendAsync(buyer);
                    var now = world.Time.GetUtcNow();
                    // Two orders of one buyer are no race of the same moment.
                    foreach (var (buyer, page, notice) in order)
                        await world.Sales.RecordAsync(
                            notice,
                            buyers[buyer].Visitor,
                            page is { } from ? test.Pages[from] : null,
                            notice.Order == "L-3" ? now.AddMinutes(1) : now
                        );
                    await world.Journal.WhenProjectedAsync();

                    Assert.Equal(
                        [("Kit", 2L, 9310L), ("Winter light", 3L, 4655L)],
                        world.Sales.Sums(Always, LedgerBy.Product).Select(sum => (sum.Name, sum.Orders, sum.Net))
                    );
                    Assert.Equal(
                        [(2L, 9310L), (3L, 4655L)],
                        world.Sales.Sums(Always, LedgerBy.Page).Select(sum => (sum.Orders, sum.Net))
                    );
                    Assert.Equal(9310 + 4655, world.Sales.Totals(Always).Single().Net);
                    Assert.Equal(
                        ["L-1", "L-2", "L-3"],
                        world.Sales.Orders(Always with { Text = "winter" }, 9).Select(one => one.Order).Order()
                    );
                    var met = world
                        .Tallies.Goals(test.Id)
                        .ToDictionary(
                            tally => (tally.Goal, tally.Page),
                            tally => (tally.Visitors, tally.Times, tally.Value)
                        );
                    (long, long, long) Met(int goal, int page) =>
                        met.GetValueOrDefault((goals[goal].Id, test.Pages[page]));
                    Assert.Equal([(1, 1, 4410), (1, 1, 4900)], new[] { Met(0, 0), Met(0, 1) });
                    // The upsell of the second buyer's first order is met, and went back.
                    Assert.Equal([(1, 1, 2205), (1, 1, 0)], new[] { Met(1, 0), Met(1, 1) });
                    Assert.Equal([(1, 1, 6615), (1, 1, 4900)], new[] { Met(2, 0), Met(2, 1) });

                    var once = world.Tables();
                    await world.Journal.RecountAsync();
                    await world.Journal.WhenProjectedAsync();
                    Assert.Equal(once, world.Tables());
                },
                iter: 12
            );
    }

    [Theory]
    [InlineData("ÉPICE", "%-1")]
    [InlineData("%", "%-1")]
    [InlineData("_-2", "_-2")]
    [InlineData("ANN@", "%-1")]
    [InlineData("-1", null)]
    public async Task Orders_are_found_by_what_was_typed_letter_for_letter_capitals_or_not(string text, string? found)
    {
        using var world = new World();
        var now = world.Time.GetUtcNow();
        foreach (
            var notice in (SaleNotice[])
                [
                    new(SaleKind.Sale, "%-1", "", 4900, "USD", "Pot à épices", "ann@larkrow.example"),
                    new(SaleKind.Sale, "_-2", "", 4900, "USD", "Kit"),
                ]
        )
            await world.Sales.RecordAsync(notice, null, null, now);
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(
            found is null ? [] : [found],
            world.Sales.Orders(Always with { Text = text }, 9).Select(order => order.Order)
        );
    }

    [Fact]
    public async Task Totals_by_product_add_up_to_the_orders_in_the_owners_currency_before_and_after_a_new_rate()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Goals.AddAsync(test.Id, new(GoalKind.Sale, "Light") { ValueComes = true, Products = ["Light"] });
        var rates = new RateStore(world.Database, world.Journal, new(world.Database, world.Journal));
        var buyer = world.Enrols(test, 0);
        await world.Journal.AppendAsync(buyer);
        var now = world.Time.GetUtcNow();
        foreach (
            var (line, product, amount) in new[] { ("1", "Kit", 3333L), ("2", "Light", 1111L), ("3", "Pot", 777L) }
        )
            await world.Sales.RecordAsync(
                new(SaleKind.Sale, "E-1", line, amount, "EUR", product),
                buyer.Visitor,
                null,
                now
            );
        await world.Journal.WhenProjectedAsync();
        foreach (var rate in (decimal?[])[null, 1.0837m, 0.9311m])
        {
            if (rate is { } worth)
                await rates.SetAsync(new(Currency.Find("EUR")!, DateOnly.FromDateTime(now.Date).AddDays(-2), worth));
            var sums = world.Sales.Sums(Always, LedgerBy.Product);
            Assert.Equal(["Kit", "Light", "Pot"], sums.Select(sum => sum.Name));
            var total = world.Sales.Totals(Always).Single();
            Assert.Equal(rate is null ? total.Net : total.Worth, sums.Sum(sum => sum.Net));
            Assert.Equal(rate is null ? "EUR" : "USD", sums[0].Currency);
            if (rate is not null)
                Assert.Equal(sums[1].Net, world.Tallies.Goals(test.Id).Single().Value);
        }
    }

    [Fact]
    public async Task A_sale_of_nobody_finds_its_buyer_by_e_mail_or_waits_to_be_credited_by_hand()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        JournalEvent[] buyers = [world.Enrols(test, 0), world.Enrols(test, 1)];
        foreach (var buyer in buyers)
            await world.Journal.AppendAsync(buyer);
        await world.Journal.AppendAsync(
            new(
                Guid.CreateVersion7(),
                world.Time.GetUtcNow(),
                EventKind.OptIn,
                buyers[1].Visitor,
                test.Step,
                test.Pages[1],
                Data: "ann@larkrow.example"
            )
        );
        var now = world.Time.GetUtcNow();
        await world.Sales.RecordAsync(
            new(SaleKind.Sale, "L-1", "", 4900, "USD", Email: "Ann@Larkrow.example".ToLowerInvariant()),
            null,
            null,
            now
        );
        await world.Sales.RecordAsync(
            new(SaleKind.Sale, "L-2", "", 2400, "USD", Email: "bo@larkrow.example"),
            null,
            null,
            now
        );
        await world.Sales.RecordAsync(new(SaleKind.Sale, "L-3", "", 3000, "EUR"), buyers[0].Visitor, null, now);
        await world.Journal.WhenProjectedAsync();
        Assert.Equal([0L, 4900], world.Tallies.Money(test, Usd).Select(page => (long)page.Revenue.Sum));
        // Another currency stands apart and is never guessed.
        Assert.Equal(
            [3000L, 0],
            world.Tallies.Money(test, Currency.Find("EUR")!).Select(page => (long)page.Revenue.Sum)
        );
        Assert.Equal(1, world.Sales.Uncredited());

        await world.Sales.ClaimAsync("L-2", buyers[0].Visitor, now);
        await world.Sales.ClaimAsync("L-2", buyers[1].Visitor, now);
        await world.Sales.ClaimAsync("L-1", buyers[0].Visitor, now);
        await world.Journal.WhenProjectedAsync();
        Assert.Equal([2400L, 4900], world.Tallies.Money(test, Usd).Select(page => (long)page.Revenue.Sum));
        Assert.Equal(0, world.Sales.Uncredited());
        var funnel = world.Funnels.All().Single().Id;
        var source = new SourceStore(world.Database, world.Journal, world.Time).Lines(funnel, Usd).Single();
        Assert.Equal((2, 2, 7300), (source.Visitors, source.Orders, source.Earned));
        var orders = world.Sales.Orders(new(now.AddDays(-1), now.AddDays(1)), 10);
        Assert.Equal(["L-1", "L-2", "L-3"], orders.Select(order => order.Order));
        Assert.All(orders, order => Assert.Single(order.Tested));
        Assert.Equal(
            [("EUR", 3000L), ("USD", 7300L)],
            world.Sales.Totals(new(now.AddDays(-1), now.AddDays(1))).Select(total => (total.Currency, total.Net))
        );
        Assert.Equal("L-2", world.Sales.Orders(new(now.AddDays(-1), now.AddDays(1), "BO@"), 10).Single().Order);
    }

    [Fact]
    public async Task What_is_sold_before_the_visitor_came_or_after_a_page_was_kept_is_not_the_tests()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var buyer = world.Enrols(test, 0);
        await world.Journal.AppendAsync(buyer);
        await world.Sales.RecordAsync(
            new(SaleKind.Sale, "L-0", "", 100, "USD"),
            buyer.Visitor,
            null,
            world.Time.GetUtcNow().AddHours(-1)
        );
        Assert.Equal(1, await world.Verdicts.KeepAsync([new(test.Id, test.Pages[0], "Keep A.", "{}")], "by hand"));
        world.Time.Advance(TimeSpan.FromHours(1));
        await world.Sales.RecordAsync(
            new(SaleKind.Sale, "L-1", "", 4900, "USD"),
            buyer.Visitor,
            null,
            world.Time.GetUtcNow()
        );
        await world.Journal.WhenProjectedAsync();
        Assert.Empty(world.Tallies.Money(test, Usd));
        Assert.Empty(world.Sales.Sums(Always, LedgerBy.Test));
        var orders = world.Sales.Orders(Always, 10);
        Assert.Equal(2, orders.Count);
        Assert.All(orders, order => Assert.Empty(order.Tested));
    }

    [Fact]
    public async Task An_order_is_its_buyers_source_in_whatever_order_they_come_are_named_and_buy()
    {
        // Into which funnel, and by which source's link; an order where there is no funnel, of the second funnel's page
        // or of nobody knows which.
        (int? Funnel, string Source)[] steps =
        [
            (null, ""),
            (0, ""),
            (0, "spring-letter"),
            (1, ""),
            (1, "garden-ads"),
            (null, "letter"),
        ];
        await Gen.Select(Gen.Shuffle(steps), Gen.Bool.Array[steps.Length])
            .AlwaysHoldsAsync(
                async (order, ends) =>
                {
                    using var world = new World();
                    var entries = new List<StepId>();
                    PageBundle bundle = new([new("index.html", "<h1>x"u8.ToArray())], "index.html");
                    PageId sold = default;
                    foreach (var name in (string[])["harvest", "letter"])
                    {
                        var funnel = await world.Funnels.CreateAsync(name);
                        entries.Add((await world.Funnels.AddStepAsync(funnel.Id, StepKind.OptIn, name, name))!.Id);
                        sold = await world.Pages.AddAsync(entries[^1], name, bundle);
                    }
                    var now = world.Time.GetUtcNow();
                    // Others have come since, so that the buyer is looked for in the file.
                    var buyer = VisitorId.New(now.AddHours(-1), world.Chance);
                    await world.Journal.AppendAsync(Visits(VisitorId.New(now, world.Chance), entries[0], ""));
                    for (var i = 0; i < order.Length; i++)
                    {
                        if (order[i].Funnel is { } funnel)
                            await world.Journal.AppendAsync(Visits(buyer, entries[funnel], order[i].Source));
                        else
                            await world.Sales.RecordAsync(
                                new(SaleKind.Sale, $"L-{i}", "", 4900, "USD"),
                                buyer,
                                order[i].Source == "letter" ? sold : null,
                                now
                            );
                        if (ends[i])
                            await world.Journal.WhenProjectedAsync();
                    }
                    await world.Journal.WhenProjectedAsync();
                    Assert.Equal(
                        [("garden-ads", 1L), ("spring-letter", 1L)],
                        world.Sales.Sums(Always, LedgerBy.Source).Select(sum => (sum.Name, sum.Orders)).Order()
                    );
                    var once = world.Tables();
                    await world.Journal.RecountAsync();
                    await world.Journal.WhenProjectedAsync();
                    Assert.Equal(once, world.Tables());

                    JournalEvent Visits(VisitorId visitor, StepId step, string source) =>
                        new(
                            Guid.CreateVersion7(),
                            now,
                            EventKind.Visit,
                            visitor,
                            step,
                            default,
                            Data: new VisitNote(Device.Phone, "US", "en", false, null, source).ToString()
                        );
                },
                iter: 40
            );
    }

    [Fact]
    public async Task Orders_count_by_the_rate_of_their_day_whenever_the_owner_names_it()
    {
        var (eur, sek) = (Currency.Find("EUR")!, Currency.Find("SEK")!);
        var day = new DateOnly(2026, 11, 9);
        ExchangeRate?[] named =
        [
            new(eur, day, 1.08m),
            new(eur, day.AddDays(1), 1.1m),
            new(sek, day.AddDays(1), 0.0955m),
            null,
            null,
            null,
            null,
            null,
            null,
        ];
        (int Buyer, int Day, SaleNotice Notice)[] told =
        [
            (0, 0, new(SaleKind.Sale, "E-1", "1", 4900, "EUR")),
            (0, 0, new(SaleKind.Sale, "E-1", "2", 2401, "EUR")),
            (1, 1, new(SaleKind.Sale, "E-2", "", 4900, "EUR")),
            (0, 2, new(SaleKind.Refund, "E-1", "R", 2401, "EUR")),
            (0, 0, new(SaleKind.Sale, "U-1", "", 1000, "USD")),
            (1, 0, new(SaleKind.Sale, "S-0", "", 30000, "SEK")),
            (1, 2, new(SaleKind.Sale, "S-2", "", 30000, "SEK")),
        ];
        await Gen.Select(Gen.Shuffle(told), Gen.Shuffle(named))
            .AlwaysHoldsAsync(
                async (sales, rates) =>
                {
                    using var world = new World();
                    var test = await world.StartTestAsync();
                    await world.Goals.AddAsync(
                        test.Id,
                        new(GoalKind.Sale, "Bought") { ValueComes = true, EveryTime = true }
                    );
                    var settings = new SettingStore(world.Database, world.Journal);
                    var store = new RateStore(world.Database, world.Journal, settings);
                    JournalEvent[] buyers = [world.Enrols(test, 0), world.Enrols(test, 1)];
                    foreach (var buyer in buyers)
                        await world.Journal.AppendAsync(buyer);
                    for (var i = 0; i < named.Length; i++)
                    {
                        if (rates[i] is { } rate)
                            await store.SetAsync(rate);
                        if (i < sales.Length)
                            await world.Sales.RecordAsync(
                                sales[i].Notice,
                                buyers[sales[i].Buyer].Visitor,
                                null,
                                world.Time.GetUtcNow().AddDays(sales[i].Day)
                            );
                        await world.Journal.WhenProjectedAsync();
                    }
                    // 49 euros at 1.08 and 10 dollars; 49 euros at 1.1 and 300 crowns at 0.0955; the crowns of the
                    // first day have no rate.
                    var money = world.Tallies.Money(test, Usd);
                    Assert.Equal(
                        [(6292.0, 1L, 2L), (5390 + 2865, 1, 2)],
                        money.Select(page => (page.Revenue.Sum, page.Buyers, page.Orders))
                    );
                    Assert.Equal(
                        [(0L, 0.0), (1, 30000)],
                        world.Tallies.Money(test, sek).Select(page => (page.Buyers, page.Revenue.Sum))
                    );
                    Assert.Empty(world.Tallies.Money(test, eur));
                    Assert.Equal(
                        [6292L, 8255],
                        test.Pages.Select(page =>
                            world.Tallies.Goals(test.Id).Where(goal => goal.Page == page).Sum(goal => goal.Value)
                        )
                    );
                    Assert.Equal(
                        [6292L, 8255],
                        test.Pages.Select(page =>
                            world
                                .Tallies.PageBuckets(test.Id)
                                .Where(bucket => bucket.Page == page)
                                .Sum(bucket => bucket.Earned)
                        )
                    );
                    Assert.Equal(
                        [(6292.0, 6292.0 * 6292), (8255, 8255.0 * 8255)],
                        test.Pages.Select(page =>
                                world
                                    .Tallies.Segments(test.Id, SegmentKind.Device)
                                    .Single(segment => segment.Page == page)
                                    .Revenue
                            )
                            .Select(takings => (takings.Sum, takings.Squares))
                    );
                    Assert.Equal([("SEK", 1L)], world.Sales.Unrated());
                    var once = world.Tables();
                    await world.Journal.RecountAsync();
                    await world.Journal.WhenProjectedAsync();
                    Assert.Equal(once, world.Tables());

                    // Counting in another currency and back is as if nothing had been.
                    await settings.SetCurrencyAsync(eur);
                    Assert.Equal([4900.0, 4900], world.Tallies.Money(test, eur).Select(page => page.Revenue.Sum));
                    Assert.Equal(
                        [4900L, 4900],
                        test.Pages.Select(page =>
                            world
                                .Tallies.PageBuckets(test.Id)
                                .Where(bucket => bucket.Page == page)
                                .Sum(bucket => bucket.Earned)
                        )
                    );
                    await settings.SetCurrencyAsync(Usd);
                    Assert.Equal(once, world.Tables());
                },
                iter: 8
            );
    }
}
