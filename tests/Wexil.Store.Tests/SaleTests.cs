using CsCheck;
using Wexil.Core.Funnels;
using Wexil.Core.Sales;
using Wexil.Core.Splits;
using Wexil.Store.Recording;

namespace Wexil.Store.Tests;

/// <summary>Every coin lands on the page that earned it, once.</summary>
public sealed class SaleTests
{
    private static readonly Currency Usd = Currency.Find("USD")!;

    [Fact]
    public async Task Sales_and_refunds_in_any_order_and_however_often_told_bring_each_page_the_same()
    {
        // Four buyers on two pages; orders of one or two lines, refunds of a part, of all and of more than all.
        SaleNotice Line(string order, string line, long amount) => new(SaleKind.Sale, order, line, amount, "USD");
        SaleNotice Back(string order, string refund, long amount) => new(SaleKind.Refund, order, refund, amount, "USD");
        (int Buyer, SaleNotice Notice)[] told =
        [
            (0, Line("L-1", "1", 4900)), (0, Line("L-1", "2", 2400)), (0, Back("L-1", "R-1", 2400)),
            (1, Line("L-2", "1", 4900)), (1, Back("L-2", "R-1", 4900)),
            (2, Line("L-3", "1", 4900)), (2, Line("L-4", "1", 2400)), (3, Line("L-5", "1", 4900)), (3, Back("L-5", "R-1", 9900)),
        ];
        await Gen.Shuffle(told.Concat(told.Take(4)).ToArray()).SampleAsync(async order =>
        {
            using var world = new World();
            var test = await world.StartTestAsync();
            JournalEvent[] buyers = [.. Enumerable.Range(0, 4).Select(i => world.Enrols(test, i % 2))];
            foreach (var buyer in buyers) await world.Journal.AppendAsync(buyer);
            foreach (var (buyer, notice) in order) await world.Sales.RecordAsync(notice, buyers[buyer].Visitor, null, world.Time.GetUtcNow());
            await world.Journal.WhenProjectedAsync();
            var money = world.Tallies.Money(test, Usd);
            // A: 4900 of the first buyer, 7300 of the third. B: nothing is left.
            Assert.Equal((2, 3, 12_200.0, 4900.0 * 4900 + 7300.0 * 7300), (money[0].Buyers, money[0].Orders, money[0].Takings.Sum, money[0].Takings.Squares));
            Assert.Equal((2, 2, 0.0, 0.0), (money[1].Buyers, money[1].Orders, money[1].Takings.Sum, money[1].Takings.Squares));

            var once = world.Tables();
            await world.Journal.RecountAsync();
            await world.Journal.WhenProjectedAsync();
            Assert.Equal(once, world.Tables());
        }, iter: 12, threads: 1);
    }

    [Fact]
    public async Task A_sale_of_nobody_finds_its_buyer_by_e_mail_or_waits_to_be_credited_by_hand()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        JournalEvent[] buyers = [world.Enrols(test, 0), world.Enrols(test, 1)];
        foreach (var buyer in buyers) await world.Journal.AppendAsync(buyer);
        await world.Journal.AppendAsync(new(Guid.CreateVersion7(), world.Time.GetUtcNow(), EventKind.OptIn, buyers[1].Visitor, test.Step, test.Pages[1], Data: "ann@larkrow.example"));
        var now = world.Time.GetUtcNow();
        await world.Sales.RecordAsync(new(SaleKind.Sale, "L-1", "", 4900, "USD", Email: "Ann@Larkrow.example".ToLowerInvariant()), null, null, now);
        await world.Sales.RecordAsync(new(SaleKind.Sale, "L-2", "", 2400, "USD", Email: "bo@larkrow.example"), null, null, now);
        await world.Sales.RecordAsync(new(SaleKind.Sale, "L-3", "", 3000, "EUR"), buyers[0].Visitor, null, now);
        await world.Journal.WhenProjectedAsync();
        Assert.Equal([0L, 4900], world.Tallies.Money(test, Usd).Select(page => (long)page.Takings.Sum));
        // Another currency stands apart and is never guessed.
        Assert.Equal([3000L, 0], world.Tallies.Money(test, Currency.Find("EUR")!).Select(page => (long)page.Takings.Sum));
        Assert.Equal(1, world.Sales.Uncredited());

        await world.Sales.ClaimAsync("L-2", buyers[0].Visitor, now);
        await world.Sales.ClaimAsync("L-2", buyers[1].Visitor, now);
        await world.Sales.ClaimAsync("L-1", buyers[0].Visitor, now);
        await world.Journal.WhenProjectedAsync();
        Assert.Equal([2400L, 4900], world.Tallies.Money(test, Usd).Select(page => (long)page.Takings.Sum));
        Assert.Equal(0, world.Sales.Uncredited());
        var funnel = world.Funnels.All().Single().Id;
        var source = new SourceStore(world.Database, world.Journal).Lines(funnel, Usd).Single();
        Assert.Equal((2, 2, 7300), (source.Visitors, source.Orders, source.Earned));
        var orders = world.Sales.Orders(new(now.AddDays(-1), now.AddDays(1)), 10);
        Assert.Equal(["L-1", "L-2", "L-3"], orders.Select(order => order.Order));
        Assert.All(orders, order => Assert.Single(order.Tested));
        Assert.Equal([("EUR", 3000L), ("USD", 7300L)], world.Sales.Totals(new(now.AddDays(-1), now.AddDays(1))).Select(total => (total.Currency, total.Net)));
        Assert.Equal("L-2", world.Sales.Orders(new(now.AddDays(-1), now.AddDays(1), "BO@"), 10).Single().Order);
    }

    [Fact]
    public async Task What_is_sold_before_the_visitor_came_or_after_a_page_was_kept_is_not_the_tests()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var buyer = world.Enrols(test, 0);
        await world.Journal.AppendAsync(buyer);
        await world.Sales.RecordAsync(new(SaleKind.Sale, "L-0", "", 100, "USD"), buyer.Visitor, null, world.Time.GetUtcNow().AddHours(-1));
        Assert.True(await world.Verdicts.KeepAsync(test.Id, test.Pages[0], "by hand", "Keep A.", "{}"));
        world.Time.Advance(TimeSpan.FromHours(1));
        await world.Sales.RecordAsync(new(SaleKind.Sale, "L-1", "", 4900, "USD"), buyer.Visitor, null, world.Time.GetUtcNow());
        await world.Journal.WhenProjectedAsync();
        Assert.Empty(world.Tallies.Money(test, Usd));
        Assert.Equal(2, world.Sales.Orders(new(world.Time.GetUtcNow().AddDays(-1), world.Time.GetUtcNow().AddDays(1)), 10).Count);
    }
}
