using System.Globalization;
using System.Net;
using System.Text;
using System.Text.RegularExpressions;
using CsCheck;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.Web.Tests;

/// <summary>Money in and out, as payment services tell of it and as the owner sees it.</summary>
public sealed class SaleTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    private static readonly LedgerFilter All = new(DateTimeOffset.UnixEpoch, DateTimeOffset.UnixEpoch.AddYears(200));

    [Fact]
    public async Task A_sale_told_by_the_till_is_credited_to_the_page_its_buyer_saw_whatever_comes_twice_or_late()
    {
        var tested = await wexil.StartTestAsync(
            "sold",
            Weights.Create(0, 100),
            outsideThanks: new("https://till.larkrow.example/sold")
        );
        var secret = Encoding.UTF8.GetBytes(await wexil.Get<SecretStore>().RenewHookSecretAsync());
        using var buyer = wexil.Visitor();
        await buyer.GetAsync("/go/sold");
        var query = (await buyer.GetAsync("/go/sold-thanks")).Headers.Location!.Query;
        var (token, page) = (AddressQuery.Value(query, "wx")!, AddressQuery.Value(query, "wx_page")!);

        // The money went back before we heard of the sale, and the service tells everything twice, days later.
        wexil.Time.Advance(TimeSpan.FromDays(2));
        for (var i = 0; i < 2; i++)
        {
            Assert.Equal(
                HttpStatusCode.OK,
                (
                    await TellAsync(
                        secret,
                        """{"type":"refund","order":"S-1","refund":"R-1","amount":"9.00","currency":"USD"}"""
                    )
                ).StatusCode
            );
            Assert.Equal(
                HttpStatusCode.OK,
                (
                    await TellAsync(
                        secret,
                        """{"order":"S-1","amount":49,"currency":"USD","product":"Harvest Kit","""
                            + $$""" "wx":"{{token}}","page":"{{page}}"}"""
                    )
                ).StatusCode
            );
        }
        await wexil.Host.Journal.WhenProjectedAsync();
        var money = wexil.Get<TallyStore>().Money(wexil.Get<TestStore>().Find(tested.Test)!, Currency.Default);
        Assert.Equal((0, 4000), (money[0].Revenue.Sum, money[1].Revenue.Sum));
        var order = wexil.Get<SaleStore>().Orders(All with { Text = "S-1" }, 10).Single();
        Assert.Equal(
            (4900, 900, "sold end", "Harvest Kit"),
            (order.Balance.Sold, order.Balance.Refunded, order.Page, order.Products)
        );

        using var owner = await wexil.OwnerAsync();
        var count = await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/sold/count");
        Assert.Contains("Revenue by page", count);
        Assert.Contains("$40.00", count);
    }

    [Fact]
    public async Task What_is_not_signed_stale_too_large_or_wrong_is_refused_in_words_and_records_nothing()
    {
        var secret = Encoding.UTF8.GetBytes(await wexil.Get<SecretStore>().RenewHookSecretAsync());
        const string sale = """{"order":"X-1","amount":"49.00","currency":"USD"}""";
        Assert.Equal(HttpStatusCode.Unauthorized, (await TellAsync("another"u8.ToArray(), sale)).StatusCode);
        Assert.Equal(HttpStatusCode.Unauthorized, (await TellAsync(secret, sale, TimeSpan.FromMinutes(-6))).StatusCode);
        Assert.Equal(
            HttpStatusCode.RequestEntityTooLarge,
            (await TellAsync(secret, sale + new string(' ', 70_000))).StatusCode
        );
        var wrong = await TellAsync(secret, """{"order":"X-1","amount":"-49.00","currency":"USD"}""");
        Assert.Equal(HttpStatusCode.BadRequest, wrong.StatusCode);
        Assert.Contains("\"field\":\"amount\"", await wrong.Content.ReadAsStringAsync());
        await Gen.String.AlwaysHoldsAsync(
            async body =>
            {
                var status = (int)(await TellAsync(secret, body)).StatusCode;
                Assert.True(status is 400 or 413, $"{status} for {body}");
            },
            iter: 60
        );
        // A renewed secret is the only one once the one before is ended.
        wexil.Time.Advance(TimeSpan.FromMinutes(2));
        await wexil.Get<SecretStore>().RenewHookSecretAsync();
        await wexil.Get<SecretStore>().EndHookSecretBeforeAsync();
        Assert.Equal(HttpStatusCode.Unauthorized, (await TellAsync(secret, sale)).StatusCode);
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Empty(wexil.Get<SaleStore>().Orders(All with { Text = "X-1" }, 10));
    }

    [Fact]
    public async Task A_refund_in_another_currency_joins_its_order_by_the_rate_and_one_without_a_name_is_another()
    {
        var secret = Encoding.UTF8.GetBytes(await wexil.Get<SecretStore>().RenewHookSecretAsync());
        await TellAsync(secret, """{"order":"RX-1","amount":"100.00","currency":"USD"}""");
        await wexil.Host.Journal.WhenProjectedAsync();
        var refused = await TellAsync(secret, """{"type":"refund","order":"RX-1","amount":"10.00","currency":"EUR"}""");
        Assert.Equal(HttpStatusCode.BadRequest, refused.StatusCode);
        Assert.Contains("no exchange rate", await refused.Content.ReadAsStringAsync());
        await wexil
            .Get<RateStore>()
            .SetAsync(
                new(Currency.Find("EUR")!, DateOnly.FromDateTime(wexil.Time.GetUtcNow().Date.AddDays(-1)), 1.25m)
            );
        try
        {
            const string back = """{"type":"refund","order":"RX-1","amount":"10.00","currency":"EUR"}""";
            Assert.Equal(HttpStatusCode.OK, (await TellAsync(secret, back)).StatusCode);
            // The same message again is the same refund; one that is sent later is another.
            Assert.Equal(HttpStatusCode.OK, (await TellAsync(secret, back)).StatusCode);
            wexil.Time.Advance(TimeSpan.FromMinutes(1));
            Assert.Equal(HttpStatusCode.OK, (await TellAsync(secret, back)).StatusCode);
            await wexil.Host.Journal.WhenProjectedAsync();
            var order = wexil.Get<SaleStore>().Orders(All with { Text = "RX-1" }, 10).Single();
            Assert.Equal(("USD", 10_000L, 2_500L), (order.Currency, order.Balance.Sold, order.Balance.Refunded));
        }
        finally
        {
            await wexil
                .Get<RateStore>()
                .DropAsync(Currency.Find("EUR")!, DateOnly.FromDateTime(wexil.Time.GetUtcNow().Date.AddDays(-1)));
        }
    }

    [Fact]
    public async Task A_till_that_names_and_signs_otherwise_is_taken_in_once_the_owner_has_said_how()
    {
        var tested = await wexil.StartTestAsync(
            "mapped",
            Weights.Create(0, 100),
            outsideThanks: new("https://till.larkrow.example/mapped")
        );
        var secret = Encoding.UTF8.GetBytes(await wexil.Get<SecretStore>().RenewHookSecretAsync());
        using var owner = await wexil.OwnerAsync();
        var refused = await (
            await WexilFixture.PostAsync(
                owner,
                "/settings",
                "Mapping",
                ("Mapping.SignatureHeader", "no header"),
                ("Mapping.PassThrough", "wx"),
                ("Mapping.Fields", "colour = red")
            )
        ).Content.ReadAsStringAsync();
        Assert.Equal(["Mapping.SignatureHeader", "Mapping.PassThrough", "Mapping.Fields"], Refusals.Of(refused));
        Assert.Contains("value=\"no header\"", refused);
        Assert.Equal(
            HttpStatusCode.Redirect,
            (
                await WexilFixture.PostAsync(
                    owner,
                    "/settings",
                    "Mapping",
                    ("Mapping.SignatureHeader", "X-Till"),
                    ("Mapping.PassThrough", "custom"),
                    ("Mapping.InSmallestUnits", "true"),
                    ("Mapping.Fields", "order = data.id\namount = data.cents\ncurrency = data.money\nwx = data.custom")
                )
            ).StatusCode
        );
        try
        {
            using var buyer = wexil.Visitor();
            await buyer.GetAsync("/go/mapped");
            var token = AddressQuery.Value(
                (await buyer.GetAsync("/go/mapped-thanks")).Headers.Location!.Query,
                "custom"
            );
            var body = Encoding.UTF8.GetBytes(
                $$$"""{"data":{"id":"M-1","cents":4900,"money":"usd","custom":"{{{token}}}"}}"""
            );
            using var request = new HttpRequestMessage(HttpMethod.Post, "/hooks/sale")
            {
                Content = new ByteArrayContent(body),
            };
            request.Headers.Add(
                "X-Till",
                Convert.ToHexStringLower(System.Security.Cryptography.HMACSHA256.HashData(secret, body))
            );
            using var till = wexil.Visitor();
            Assert.Equal(HttpStatusCode.OK, (await till.SendAsync(request)).StatusCode);
            await wexil.Host.Journal.WhenProjectedAsync();
            Assert.Equal(
                4900,
                wexil
                    .Get<TallyStore>()
                    .Money(wexil.Get<TestStore>().Find(tested.Test)!, Currency.Default)[1]
                    .Revenue.Sum
            );
            var sums = wexil.Get<SaleStore>().Sums(All with { Text = "M-1" }, LedgerBy.Test);
            Assert.Equal(
                ("mapped: mapped b", 1L, 4900L),
                (sums.Single().Name, sums.Single().Orders, sums.Single().Net)
            );
            Assert.Contains("mapped: mapped b", await owner.GetStringAsync("/sales?by=Test&text=M-1"));
        }
        finally
        {
            await wexil.Get<SettingStore>().SetHookMappingAsync(HookMapping.Default);
        }
    }

    private const string H1 = "/sales/order?order=H-1&currency=USD";

    [Fact]
    public async Task The_owner_puts_a_sale_in_takes_it_back_credits_it_and_is_told_what_is_wrong()
    {
        var tested = await wexil.StartTestAsync("ledger", Weights.Create(100, 0));
        using var reader = wexil.Visitor();
        await reader.GetAsync("/go/ledger");
        await reader.PostAsync(
            $"/p/{tested.A.Slug}/opt-in",
            new FormUrlEncodedContent([new("email", "cleo@larkrow.example")])
        );
        await wexil.Host.Journal.WhenProjectedAsync();
        using var owner = await wexil.OwnerAsync();

        var refused = await (
            await WexilFixture.PostAsync(
                owner,
                "/sales",
                "Add",
                ("New.Order", "H-1"),
                ("New.Amount", "12,50"),
                ("New.Currency", "USD")
            )
        ).Content.ReadAsStringAsync();
        Assert.Equal(["New.Amount"], Refusals.Of(refused));
        Assert.Contains("value=\"H-1\"", refused);
        await WexilFixture.PostAsync(
            owner,
            "/sales",
            "Add",
            ("New.Order", "H-1"),
            ("New.Amount", "39.00"),
            ("New.Currency", "USD"),
            ("New.Product", "Seed box")
        );
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(
            ["New.Order"],
            await Refusals.OfAsync(
                await WexilFixture.PostAsync(
                    owner,
                    "/sales",
                    "Add",
                    ("New.Order", "H-1"),
                    ("New.Amount", "39.00"),
                    ("New.Currency", "USD")
                )
            )
        );

        Assert.Equal(
            ["Email"],
            await Refusals.OfAsync(
                await WexilFixture.PostAsync(owner, H1, "Assign", ("email", "nobody@larkrow.example"))
            )
        );
        await WexilFixture.PostAsync(owner, H1, "Assign", ("email", "Cleo@larkrow.example"));
        Assert.Equal(
            ["Amount"],
            await Refusals.OfAsync(await WexilFixture.PostAsync(owner, H1, "Refund", ("amount", "40")))
        );
        for (var i = 0; i < 4; i++)
        {
            // Each of two refunds is sent twice, as by a double click.
            await WexilFixture.PostAsync(
                owner,
                H1,
                "Refund",
                ("amount", "10"),
                ("Once", $"00000000-0000-0000-0000-00000000000{i / 2}")
            );
            await wexil.Host.Journal.WhenProjectedAsync();
        }
        Assert.Equal(
            1900,
            wexil.Get<TallyStore>().Money(wexil.Get<TestStore>().Find(tested.Test)!, Currency.Default)[0].Revenue.Sum
        );
        // Whoever had looked for it goes on looking at what was found.
        var filtered = await WexilFixture.PostAsync(
            owner,
            $"{H1}&back={Uri.EscapeDataString("/sales?text=seed")}",
            "Assign",
            ("email", "Cleo@larkrow.example")
        );
        Assert.Contains("text=seed", filtered.Headers.Location!.OriginalString);
        var ledger = await owner.GetStringAsync("/sales?text=seed");
        Assert.Contains("$20.00 refunded", ledger);
        Assert.Contains("ledger a", ledger);
        Assert.Contains("No sales fit this filter.", await owner.GetStringAsync("/sales?text=nothing-like-it"));

        var made = await (await WexilFixture.PostAsync(owner, "/settings", "Secret")).Content.ReadAsStringAsync();
        Assert.Contains(Encoding.UTF8.GetString(wexil.Get<SecretStore>().HookSecret!), made);
        Assert.DoesNotContain(
            Encoding.UTF8.GetString(wexil.Get<SecretStore>().HookSecret!),
            await owner.GetStringAsync("/settings")
        );
    }

    [Fact]
    public async Task Sales_and_sources_count_the_same_orders_and_one_of_the_owners_own_says_that_it_is_not_counted()
    {
        var tested = await wexil.StartTestAsync("agree", Weights.Create(100, 0));
        var sales = wexil.Get<SaleStore>();
        using var buyer = wexil.Visitor();
        await buyer.GetAsync("/go/agree");
        await buyer.PostAsync(
            $"/p/{tested.A.Slug}/opt-in",
            new FormUrlEncodedContent([new("email", "fern@larkrow.example")])
        );
        await wexil.Host.Journal.WhenProjectedAsync();
        var (fern, own, now) = (
            sales.VisitorOf("fern@larkrow.example")!.Value,
            new VisitorId(Guid.CreateVersion7()),
            wexil.Time.GetUtcNow()
        );
        foreach (
            var (order, visitor, amount) in new (string, VisitorId?, long)[]
            {
                ("AG-1", fern, 3900),
                ("AG-2", own, 500),
                ("AG-3", null, 700),
            }
        )
            await sales.RecordAsync(new SaleNotice(SaleKind.Sale, order, "", amount, "USD"), visitor, null, now);
        await wexil.Host.Journal.WhenProjectedAsync();

        var sums = sales.Sums(All with { Text = "AG-" }, LedgerBy.Source).ToDictionary(sum => sum.Name, sum => sum.Net);
        Assert.Equal(
            new()
            {
                [SourceStore.Unnamed] = 3900,
                [SaleStore.NotCounted] = 500,
                [""] = 700,
            },
            sums
        );
        var source = wexil
            .Get<SourceStore>()
            .Lines(tested.Funnel.Id, Currency.Default)
            .Single(line => line.Source is null);
        Assert.Equal((SourceStore.Unnamed, 3900), (source.Name, source.Earned));
        using var owner = await wexil.OwnerAsync();
        Assert.Contains(
            "a visit that is not counted",
            await owner.GetStringAsync("/sales?text=AG-2"),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "a visit that is not counted",
            await owner.GetStringAsync("/sales/order?order=AG-2&currency=USD"),
            StringComparison.Ordinal
        );
        Assert.DoesNotContain(
            "not counted",
            await owner.GetStringAsync("/sales/order?order=AG-1&currency=USD"),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task A_refund_from_a_file_in_another_currency_joins_its_order_by_the_rate_of_its_day_or_is_named()
    {
        using var owner = await wexil.OwnerAsync();
        await wexil.Get<RateStore>().SetAsync(new(Currency.Find("GBP")!, new(2040, 11, 1), 1.25m));
        const string csv = """
            order,date,amount,currency,type,refund
            R-1,2040-11-02,50.00,USD,sale,
            R-1,2040-11-03,10.00,GBP,refund,a
            R-1,2040-11-03,1000,JPY,refund,b
            """;
        Task<HttpResponseMessage> Post(string handler) =>
            WexilFixture.PostAsync(owner, "/sales/file", handler, ("Csv", csv));
        var looked = await (await Post("")).Content.ReadAsStringAsync();
        Assert.Contains("there is no exchange rate between the two", looked, StringComparison.Ordinal);
        await Post("TakeIn");
        await wexil.Host.Journal.WhenProjectedAsync();
        var order = Assert.Single(wexil.Get<SaleStore>().Orders(All with { Text = "R-1" }, 10));
        Assert.Equal(("USD", 3750L), (order.Currency, order.Balance.Net));
        // Told again, with the order in the ledger by now, it changes nothing.
        await Post("TakeIn");
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(3750L, wexil.Get<SaleStore>().Order("R-1", "USD")!.Balance.Net);
    }

    [Fact]
    public async Task Orders_are_leafed_through_a_hundred_at_a_time_and_the_rows_hold_no_forms()
    {
        using var owner = await wexil.OwnerAsync();
        var told = Enumerable
            .Range(1, 101)
            .Select(i =>
                wexil
                    .Get<SaleStore>()
                    .RecordAsync(
                        new(SaleKind.Sale, $"P-{i:000}", "", 100, "USD"),
                        null,
                        null,
                        wexil.Time.GetUtcNow().AddMinutes(-i)
                    )
            );
        await Task.WhenAll(told);
        await wexil.Host.Journal.WhenProjectedAsync();
        var first = await owner.GetStringAsync("/sales?text=p-");
        Assert.Contains("1 to 100 of 101", first, StringComparison.Ordinal);
        Assert.Contains("turned=1", first, StringComparison.Ordinal);
        Assert.DoesNotContain("handler=Refund", first, StringComparison.Ordinal);
        var second = await owner.GetStringAsync("/sales?text=p-&turned=1");
        Assert.Contains("P-101", second, StringComparison.Ordinal);
        Assert.DoesNotContain("P-100", second, StringComparison.Ordinal);
        Assert.Equal(
            HttpStatusCode.NotFound,
            (await owner.GetAsync("/sales/order?order=P-999&currency=USD")).StatusCode
        );
    }

    [Fact]
    public async Task An_order_of_one_line_is_the_same_with_its_number_and_without()
    {
        using var owner = await wexil.OwnerAsync();
        var sales = wexil.Get<SaleStore>();
        SaleNotice Sale(string order, string line, long amount = 4900) =>
            new(SaleKind.Sale, order, line, amount, "USD", Channel: SaleChannel.Hook);
        var now = wexil.Time.GetUtcNow();
        await sales.RecordAsync(Sale("O-1", "1"), null, null, now);
        await sales.RecordAsync(Sale("O-2", "till-line-77"), null, null, now);
        await sales.RecordAsync(Sale("O-3", "1"), null, null, now);
        await sales.RecordAsync(Sale("O-3", "2", 2000), null, null, now);
        // As a program of before wrote it.
        var former = Sale("O-4", "1");
        await wexil.Host.Journal.AppendAsync(
            new(former.FormerId!.Value, now, EventKind.Sale, default, default, default, Data: former.ToJson())
        );
        await wexil.Host.Journal.WhenProjectedAsync();
        const string csv = "order,amount\nO-1,49.00\nO-2,49.00\nO-3,69.00\nO-4,49.00\nO-5,49.00\nO-2,20.00";
        var looked = await (
            await WexilFixture.PostAsync(owner, "/sales/file", "", ("Csv", csv))
        ).Content.ReadAsStringAsync();
        Assert.Contains("1 to import, 4 already imported", WexilFixture.Read(looked), StringComparison.Ordinal);
        await WexilFixture.PostAsync(owner, "/sales/file", "TakeIn", ("Csv", csv));
        // The hook tells of what the file brought, and of what it had told in the old way.
        await sales.RecordAsync(Sale("O-5", "1"), null, null, now);
        await sales.RecordAsync(former, null, null, now);
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(
            [4900L, 4900, 6900, 4900, 4900],
            Enumerable.Range(1, 5).Select(i => sales.Order($"O-{i}", "USD")!.Balance.Net)
        );
    }

    [Fact]
    public async Task Sales_from_a_file_are_looked_at_first_mapped_taken_in_once_and_its_bad_lines_left_out()
    {
        const string csv = """
            Transaction ID;Created at;Gross;Customer Email;Item
            F-1;2040-11-01;49.00;dora@larkrow.example;Harvest Kit
            F-2;2040-11-02 10:30;24.00;;Winter light
            F-1;2040-11-03;-9.00;;
            F-3;2040-12-24;49.00;;Harvest Kit
            F-4;someday;49.00;;Harvest Kit
            F-5;2040-11-02;free;;Harvest Kit
            F-2;2040-11-02;24.00;;Winter light
            """;
        using var owner = await wexil.OwnerAsync();
        Assert.Equal(["Csv"], Refusals.Of(await Post("")));
        Assert.Equal(["Csv"], Refusals.Of(await Post("", ("Csv", "a,b\n1,2"))));
        var looked = WexilFixture.Read(await Post("", ("Csv", csv)));
        Assert.Contains("3 to import, 0 already imported, 4 unreadable", looked);
        foreach (
            var problem in new[]
            {
                "is in the future",
                "such as 2026-11-09",
                "Enter an amount above 0",
                "are in the file twice",
            }
        )
            Assert.Contains(problem, looked);
        Assert.Contains("value=\"Gross\" selected=\"selected\"", looked);
        // Another column than the one guessed, and none for the amount that could be read.
        Assert.Contains(
            "0 to import",
            await Post(
                "",
                ("Csv", csv),
                ("Choice.Columns[amount]", "Item"),
                ("Choice.Columns[order]", "Transaction ID")
            )
        );

        Assert.Contains("3 lines imported. 4 lines were skipped.", await Post("TakeIn", ("Csv", csv)));
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Contains("0 to import, 3 already imported", await Post("", ("Csv", csv)));
        Assert.Contains("Nothing new to import", await Post("TakeIn", ("Csv", csv)));
        var orders = wexil.Get<SaleStore>().Orders(All with { Text = "F-" }, 10);
        Assert.Equal(
            [("F-2", 2400L, "Winter light"), ("F-1", 4000L, "Harvest Kit")],
            orders.Select(order => (order.Order, order.Balance.Net, order.Products))
        );
        Assert.Equal(new DateTimeOffset(2040, 11, 2, 10, 30, 0, TimeSpan.Zero), orders[0].At);

        Task<string> Post(string handler, params (string, string)[] fields) => FileAsync(owner, handler, fields);
    }

    [Fact]
    public async Task A_file_that_can_be_read_in_two_ways_is_asked_about_and_the_answer_is_remembered_for_its_like()
    {
        const string csv = """
            Beleg;Tag;Brutto;Artikel
            D-1;03/04/2040;1.204 €;Hochbeet
            D-2;05/04/2040;-2.000 €;
            """;
        using var owner = await wexil.OwnerAsync();
        Assert.Contains("Choose the columns for the order number and the amount.", await Post("", csv));
        (string, string)[] columns =
        [
            ("Choice.Columns[order]", "Beleg"),
            ("Choice.Columns[amount]", "Brutto"),
            ("Choice.Columns[date]", "Tag"),
            ("Choice.Columns[currency]", ""),
            ("Choice.Columns[product]", "Artikel"),
        ];
        var asked = await Post("TakeIn", csv, columns);
        Assert.Equal(["Choice.Mark", "Choice.Order"], Refusals.Of(asked).Order());
        Assert.Contains("1.204 € can mean thousands or decimals", asked);
        Assert.Contains("03/04/2040 can begin with the day or with the month", asked);
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Empty(wexil.Get<SaleStore>().Orders(All with { Text = "D-" }, 10));

        // A sign that is not of the currency is refused, and not taken for dollars.
        (string, string)[] choices = [.. columns, ("Choice.Mark", "Comma"), ("Choice.Order", "DayFirst")];
        Assert.Contains("0 to import, 0 already imported, 2 unreadable", await Post("", csv, choices));
        var inDollars = csv.Replace("€", "USD", StringComparison.Ordinal);
        Assert.Contains("2 lines imported.", await Post("TakeIn", inDollars, choices));
        await wexil.Host.Journal.WhenProjectedAsync();
        var order = Assert.Single(wexil.Get<SaleStore>().Orders(All with { Text = "D-1" }, 10));
        Assert.Equal((120_400L, "Hochbeet"), (order.Balance.Sold, order.Products));
        Assert.Equal(new DateTimeOffset(2040, 4, 3, 0, 0, 0, TimeSpan.Zero), order.At);

        // The next one like it, with the bytes that spreadsheet programs put before it.
        var next = "\ufeff" + inDollars.Replace("D-", "next-", StringComparison.Ordinal);
        var looked = await Post("", next);
        Assert.Contains("2 to import, 0 already imported, 0 unreadable", looked);
        Assert.Contains("selected=\"selected\">day first", looked);

        // What a line proves is believed; a line that says otherwise is not read by half.
        var mixed =
            inDollars.Replace("05/04", "25/04", StringComparison.Ordinal)
            + "\nD-3;04/25/2040;12.50;\nD-4;03/04/2040;12,50;";
        Assert.Contains("This amount is not written like the others", await Post("", mixed, [.. choices]));

        // The screen before was another file's: its choices say nothing about this one, whatever it left empty.
        var header = Regex.Match(looked, "name=\"Choice.Header\" value=\"([0-9a-f]+)\"").Groups[1].Value;
        Assert.NotEmpty(header);
        (string, string)[] stale = [.. choices, ("Choice.Header", header)];
        const string other = "order,date,amount,currency\nother-1,2040-11-02,12.50,EUR";
        Assert.Contains("1 line imported.", await Post("TakeIn", other, stale));
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(1250, wexil.Get<SaleStore>().Order("other-1", "EUR")?.Balance.Net);
        // Of a file like it whose lines prove how they are written, the answer to an earlier question is not held to.
        var proven = inDollars
            .Replace("D-", "proven-", StringComparison.Ordinal)
            .Replace("1.204", "1,204.50", StringComparison.Ordinal)
            .Replace("2.000", "2.00", StringComparison.Ordinal)
            .Replace("05/04", "04/25", StringComparison.Ordinal);
        Assert.Contains("2 to import, 0 already imported, 0 unreadable", await Post("", proven, stale));

        Task<string> Post(string handler, string text, params (string, string)[] fields) =>
            FileAsync(owner, handler, [("Csv", text), .. fields]);
    }

    [Theory]
    [InlineData(1252)]
    [InlineData(1200)]
    [InlineData(65001)]
    public async Task A_file_is_read_in_the_letters_that_spreadsheets_write(int codePage)
    {
        var encoding = CodePagesEncodingProvider.Instance.GetEncoding(codePage) ?? Encoding.GetEncoding(codePage);
        var order = $"K-{codePage}";
        byte[] bytes =
        [
            .. encoding.GetPreamble(),
            .. encoding.GetBytes($"order;amount;product\n{order};49,00 €;Kräuterkiste\n".Replace("€", "USD")),
        ];
        using var owner = await wexil.OwnerAsync();
        using var form = new MultipartFormDataContent
        {
            { new ByteArrayContent(bytes), "Upload", "sales.csv" },
            { new StringContent(await WexilFixture.TokenAsync(owner, "/sales/file")), "__RequestVerificationToken" },
        };
        await owner.PostAsync("/sales/file?handler=TakeIn", form);
        await wexil.Host.Journal.WhenProjectedAsync();
        var found = wexil.Get<SaleStore>().Order(order, "USD");
        Assert.Equal(("Kräuterkiste", 4900), (found?.Products, found?.Balance.Net));
    }

    /// <summary>What the screen of files says, or the one that it leads to.</summary>
    private static async Task<string> FileAsync(HttpClient owner, string handler, (string, string)[] fields)
    {
        var answer = await WexilFixture.PostAsync(owner, "/sales/file", handler, fields);
        return WexilFixture.Read(
            await (
                answer.StatusCode == HttpStatusCode.Redirect
                    ? owner.GetStringAsync(answer.Headers.Location)
                    : answer.Content.ReadAsStringAsync()
            )
        );
    }

    private async Task<HttpResponseMessage> TellAsync(byte[] secret, string body, TimeSpan late = default)
    {
        var bytes = Encoding.UTF8.GetBytes(body);
        var timestamp = (wexil.Time.GetUtcNow() + late).ToUnixTimeSeconds().ToString(CultureInfo.InvariantCulture);
        using var client = new HttpClient { BaseAddress = wexil.Visitors };
        using var request = new HttpRequestMessage(HttpMethod.Post, "/hooks/sale")
        {
            Content = new ByteArrayContent(bytes),
        };
        request.Headers.Add(HookSignature.TimestampHeader, timestamp);
        request.Headers.Add(HookSignature.SignatureHeader, HookSignature.Compute(secret, timestamp, bytes));
        return await client.SendAsync(request);
    }
}
