using System.Text;
using System.Text.Json;
using Wexil.App.Rehearsals;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Pages.Starters;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Tests;

namespace Wexil.Web.Tests;

/// <summary>Rehearsal visitors on the real addresses: what they find, and that nothing of it counts.</summary>
public sealed class RehearsalTests : IAsyncLifetime
{
    private readonly WexilFixture _wexil = new();

    public Task InitializeAsync() => _wexil.InitializeAsync();

    public Task DisposeAsync() => _wexil.DisposeAsync();

    [Fact]
    public async Task Visitors_go_all_the_way_and_nothing_of_theirs_is_counted()
    {
        await _wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        await _wexil.Get<SecretStore>().RenewHookSecretAsync();
        await using var till = new RawServer(_ => Html("<h1>Order</h1>"));
        var funnel = await FunnelAsync(till.Address);

        var rehearsal = await RehearseAsync(funnel, 8);

        Assert.All(rehearsal.Visitors, visitor => Assert.Equal("", visitor.Problem));
        Assert.All(rehearsal.Visitors, visitor =>
            Assert.Equal(
                [EventKind.Enrol, EventKind.OptIn, EventKind.Visit, EventKind.Sale, EventKind.Visit],
                visitor.Lines.Select(line => line.Recorded).OfType<EventKind>()
            )
        );
        Assert.Equal(2, rehearsal.Visitors.Select(visitor => visitor.Lines.First(IsEnrolment).Page).Distinct().Count());
        Assert.Equal(
            ["sales-page"],
            rehearsal
                .Visitors.SelectMany(visitor => visitor.Lines)
                .Where(line => line.Recorded == EventKind.Sale)
                .Select(line => SaleNotice.Parse(line.Data).Page)
                .Distinct()
        );
        await NothingIsCountedAsync();

        // Wiped, even what is told late of a visitor is kept nowhere.
        var late = rehearsal.Visitors[0].Id;
        await _wexil.Get<RehearsalDirector>().WipeAsync(funnel);
        Assert.Null(_wexil.Get<RehearsalStore>().Find(funnel));
        await _wexil.Get<SaleStore>().RecordAsync(Order("late", RehearsalEmail.For(late)), null, null, Now);
        Assert.Null(_wexil.Get<RehearsalStore>().Find(funnel));
        await NothingIsCountedAsync();
    }

    [Theory]
    [InlineData("opt-in sales-short till upsell downsell thank-you-download")]
    [InlineData("sales-video thank-you-next")]
    public async Task A_funnel_of_starters_is_walked_to_its_end_and_its_orders_are_told(string starters)
    {
        await _wexil.Get<SecretStore>().RenewHookSecretAsync();
        var funnel = await _wexil.Get<FunnelStore>().CreateAsync("Started");
        foreach (var starter in starters.Split(' ').Select(key => Starter.Find(key)!))
        {
            var step = await _wexil.Get<FunnelStore>().AddStepAsync(funnel.Id, starter.Kind, starter.Name, starter.Key);
            await _wexil.Get<PageStore>().AddAsync(step!.Id, starter.Name, starter.BundleFor(new Offer("The Kit")));
        }
        // Every third visitor says no to the upsell.
        var rehearsal = await RehearseAsync(funnel.Id, 3);
        Assert.All(rehearsal.Visitors, visitor => Assert.Equal("", visitor.Problem));
        Assert.All(rehearsal.Visitors, visitor =>
        {
            Assert.Single(visitor.Lines, line => line.Recorded == EventKind.Sale);
            Assert.DoesNotContain(visitor.Lines, line => line.Request is { IsProblem: true });
            var last = _wexil.Get<FunnelStore>().Steps(funnel.Id)[^1].Id;
            Assert.Contains(visitor.Lines, line => line.Recorded == EventKind.Visit && line.Step == last);
        });
        await NothingIsCountedAsync();
    }

    [Fact]
    public async Task An_order_that_lost_its_visitor_is_known_by_its_e_mail_address_and_said_to_have()
    {
        var funnel = await FunnelAsync(null);
        var rehearsal = await RehearseAsync(funnel, 1);
        var visitor = Assert.Single(rehearsal.Visitors);
        await _wexil.Get<SaleStore>().RecordAsync(Order("L-9", RehearsalEmail.For(visitor.Id)), null, null, Now);
        var lines = _wexil.Get<RehearsalStore>().Find(funnel)!.Visitors[0].Lines;
        Assert.Equal(
            [EventKind.Sale, EventKind.Claim],
            lines.Select(line => line.Recorded).OfType<EventKind>().TakeLast(2)
        );
        await NothingIsCountedAsync();
        using var owner = await _wexil.OwnerAsync();
        Assert.Contains(
            "came without the wx parameter",
            await owner.GetStringAsync("/f/kit/rehearsal"),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task What_breaks_the_chain_is_named_and_a_second_click_sends_no_more()
    {
        await using var gone = new RawServer(_ => "HTTP/1.1 500 Oh\r\nContent-Length: 0\r\n\r\n"u8.ToArray());
        await using var loop = new RawServer(_ =>
            "HTTP/1.1 302 Found\r\nLocation: /again\r\nContent-Length: 0\r\n\r\n"u8.ToArray()
        );
        await using var plain = new RawServer(_ => Html("<h1>Order</h1>"));
        var checkout = Checkout(await FunnelAsync(gone.Address));

        Assert.Contains("private network", await ProblemAsync(checkout.Funnel), StringComparison.Ordinal);
        await _wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        Assert.Contains("responded with 500", await ProblemAsync(checkout.Funnel), StringComparison.Ordinal);
        await LeadAsync(checkout, loop.Address);
        Assert.Contains("redirects in a loop", await ProblemAsync(checkout.Funnel), StringComparison.Ordinal);
        await LeadAsync(checkout, plain.Address);
        Assert.Contains("create a secret", await ProblemAsync(checkout.Funnel), StringComparison.Ordinal);
        await _wexil.Get<SecretStore>().RenewHookSecretAsync();
        Assert.Equal("", await ProblemAsync(checkout.Funnel));
        // The page answers, but the tracking script is not on it.
        Assert.Contains(_wexil.Get<RehearsalStore>().Find(checkout.Funnel)!.Visitors[0].Lines, line =>
            line.Request is { IsProblem: true } found && found.Words.StartsWith("The tracking script is not")
        );

        var director = _wexil.Get<RehearsalDirector>();
        await Task.WhenAll(
            director.StartAsync(checkout.Funnel, 2, false),
            director.StartAsync(checkout.Funnel, 2, false)
        );
        await EndedAsync(checkout.Funnel);
        Assert.Equal(2, _wexil.Get<RehearsalStore>().Find(checkout.Funnel)!.Visitors.Count);
        await NothingIsCountedAsync();
    }

    [Theory]
    [InlineData("<form method=post><input type=email name=email><button>Pay</button></form>", "does not lead back")]
    [InlineData("<h1>Only scripts here</h1>", "no order form")]
    public async Task A_checkout_is_filled_in_where_the_owner_says_so(string html, string problem)
    {
        await _wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        await using var till = new RawServer(_ => Html(html));
        var funnel = await FunnelAsync(till.Address);
        Assert.Contains(problem, await ProblemAsync(funnel, fillsInOrders: true), StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_screen_refuses_a_number_out_of_range_and_shows_a_run_from_start_to_wipe()
    {
        var funnel = await FunnelAsync(null);
        using var owner = await _wexil.OwnerAsync();
        foreach (var count in new[] { "0", "51", "many" })
            Assert.Equal(
                ["Count"],
                await Refusals.OfAsync(await WexilFixture.PostAsync(owner, Screen, "Send", ("Count", count)))
            );
        Assert.Null(_wexil.Get<RehearsalStore>().Find(funnel));
        await WexilFixture.PostAsync(owner, Screen, "Send", ("Count", "50"), ("FillsIn", "false"));
        await EndedAsync(funnel);
        var shown = WexilFixture.Read(await owner.GetStringAsync(Screen));
        Assert.Contains("All 50 visitors came to the end", shown, StringComparison.Ordinal);
        await WexilFixture.PostAsync(owner, Screen, "Wipe");
        Assert.DoesNotContain("Visitor 50", await owner.GetStringAsync(Screen), StringComparison.Ordinal);
    }

    private const string Screen = "/f/kit/rehearsal";

    /// <summary>
    /// A funnel of an opt-in page, a sales page, a checkout where one is given, and a thank-you page, with a test on
    /// the first.
    /// </summary>
    private async Task<FunnelId> FunnelAsync(Uri? checkout)
    {
        var (funnels, pages) = (_wexil.Get<FunnelStore>(), _wexil.Get<PageStore>());
        var funnel = await funnels.CreateAsync("Kit");
        async Task<StepId> AddAsync(StepKind kind, string name) =>
            (await funnels.AddStepAsync(funnel.Id, kind, name, Slug.From(name)))!.Id;
        var (optIn, sales) = (await AddAsync(StepKind.OptIn, "Calendar"), await AddAsync(StepKind.Sales, "Kit offer"));
        var first = await pages.AddAsync(optIn, "First", Form("First"));
        var second = await pages.AddAsync(optIn, "Second", Form("Second"));
        await pages.AddAsync(
            sales,
            "Sales page",
            WexilFixture.Bundle(checkout is null ? "<a href=/go/thanks>On</a>" : $"<a href='{checkout}'>Buy</a>")
        );
        if (checkout is not null)
            await pages.AddAsync(await AddAsync(StepKind.Checkout, "Checkout"), "Till", checkout);
        var thanks = await AddAsync(StepKind.ThankYou, "Thanks");
        await pages.AddAsync(thanks, "Thanks", WexilFixture.Bundle("<h1>Thank you</h1>"));
        await _wexil
            .Get<TestStore>()
            .StartAsync(new(optIn, thanks, "Headline", "", 0.2, 0.2, [first, second], Weights.Even(2)));
        return funnel.Id;
    }

    private (FunnelId Funnel, Page Page) Checkout(FunnelId funnel)
    {
        var checkout = _wexil.Get<FunnelStore>().Steps(funnel).Single(step => step.Kind == StepKind.Checkout);
        return (funnel, Assert.Single(_wexil.Get<PageStore>().ForStep(checkout.Id)));
    }

    /// <summary>The checkout, and the sales page's button, lead to another address.</summary>
    private async Task LeadAsync((FunnelId Funnel, Page Page) checkout, Uri address)
    {
        var pages = _wexil.Get<PageStore>();
        await pages.ChangeOutsideAsync(checkout.Page.Id, checkout.Page.Name, address);
        var sales = _wexil.Get<FunnelStore>().Steps(checkout.Funnel).Single(step => step.Kind == StepKind.Sales);
        await pages.PublishAsync(Assert.Single(pages.ForStep(sales.Id)), $"<a href='{address}'>Buy</a>", "");
    }

    private static PageBundle Form(string title) =>
        WexilFixture.Bundle($"<title>{title}</title><form method=post><input type=email name=email></form>");

    private async Task<Rehearsal> RehearseAsync(FunnelId funnel, int count, bool fillsInOrders = false)
    {
        await _wexil.Get<RehearsalDirector>().StartAsync(funnel, count, fillsInOrders);
        await EndedAsync(funnel);
        return _wexil.Get<RehearsalStore>().Find(funnel)!;
    }

    private Task EndedAsync(FunnelId funnel) => _wexil.Get<RehearsalDirector>().EndedAsync(funnel);

    private async Task<string> ProblemAsync(FunnelId funnel, bool fillsInOrders = false) =>
        Assert.Single((await RehearseAsync(funnel, 1, fillsInOrders)).Visitors).Problem!;

    private async Task NothingIsCountedAsync()
    {
        await _wexil.Host.Journal.WhenProjectedAsync();
        Assert.Empty(_wexil.Get<TallyStore>().StepVisitors());
        Assert.Empty(_wexil.Get<SaleStore>().Orders(new(Now.AddYears(-1), Now.AddYears(1)), 9));
        Assert.Equal(0, _wexil.Host.Database.Read(c => Number(c, "SELECT count(*) FROM events")));
        Assert.Equal(0, _wexil.Host.Database.Read(c => Number(c, "SELECT count(*) FROM outgoing")));
    }

    private static long Number(Microsoft.Data.Sqlite.SqliteConnection c, string sql)
    {
        using var command = c.CreateCommand();
        command.CommandText = sql;
        return (long)command.ExecuteScalar()!;
    }

    private static DateTimeOffset Now => new(2040, 11, 9, 8, 0, 0, TimeSpan.Zero);

    private static SaleNotice Order(string number, string email) =>
        new(SaleKind.Sale, number, "", 4900, "USD", "Kit", email);

    private static bool IsEnrolment(RehearsalLine line) => line.Recorded == EventKind.Enrol;

    private static byte[] Html(string body) =>
        Encoding.UTF8.GetBytes(
            "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\n"
                + $"Content-Length: {Encoding.UTF8.GetByteCount(body)}\r\n\r\n{body}"
        );
}
