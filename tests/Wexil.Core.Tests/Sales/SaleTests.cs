using System.Text;
using System.Text.Json;
using CsCheck;
using Wexil.Core.Common;
using Wexil.Core.Sales;

namespace Wexil.Core.Tests.Sales;

public sealed class SaleTests
{
    private static readonly DateTimeOffset Now = DateTimeOffset.FromUnixTimeSeconds(1_793_000_000);
    private static readonly byte[] Secret = "0011"u8.ToArray(),
        Body = Encoding.UTF8.GetBytes("{\"order\":\"L-1\"}");

    [Fact]
    public void A_signature_is_what_openssl_makes_of_the_same_and_holds_for_five_minutes()
    {
        const string signature = "41c37c9a5ab4c5670e677c525251f89290eeb4b9b664470a25d68aa3a3d8f345";
        Assert.Equal(signature, HookSignature.Compute(Secret, "1793000000", Body));
        string? Check(string? timestamp, string? signed, DateTimeOffset now) =>
            HookSignature.Problem(HookMapping.Default, [Secret], timestamp, signed, Body, now);
        Assert.Null(Check("1793000000", signature, Now));
        Assert.Null(Check("1793000000", signature, Now.AddMinutes(5)));
        Assert.Contains("five minutes", Check("1793000000", signature, Now.AddSeconds(301)));
        Assert.Contains("five minutes", Check("1793000000", signature, Now.AddSeconds(-301)));
        Assert.Contains("does not match", Check("1793000001", signature, Now));
        Assert.Contains("does not match", Check("1793000000", signature.ToUpperInvariant(), Now));
        Assert.Equal("The headers X-Wexil-Timestamp and X-Wexil-Signature are missing.", Check(null, signature, Now));
        Assert.Equal(
            "The header X-Wexil-Signature is missing.",
            HookSignature.Problem(HookMapping.Default with { TimestampHeader = "" }, [Secret], null, "", Body, Now)
        );
        Assert.Contains("missing", Check("1793000000", "", Now));
        Assert.Contains("number", Check("soon", signature, Now));
        Gen.String.AlwaysHolds(forged =>
            Check("1793000000", forged, Now) is not null && Check(forged, signature, Now) is not null
        );
    }

    public static TheoryData<HookMapping> Mappings =>
        [
            HookMapping.Default,
            HookMapping.Default with
            {
                TimestampHeader = "",
                Prefix = "sha256=",
                IsBase64 = true,
            },
            HookMapping.Default with
            {
                InSmallestUnits = true,
                SaleWords = ["paid", "settled"],
                Fields = new Dictionary<string, string>
                {
                    ["type"] = "event",
                    ["order"] = "data.order.id",
                    ["amount"] = "data.order.total",
                    ["wx"] = "data.reference",
                },
            },
        ];

    [Theory]
    [MemberData(nameof(Mappings))]
    public void A_sale_written_as_a_service_sends_it_is_read_back_and_its_signature_holds(HookMapping mapping)
    {
        var sale = new SaleNotice(SaleKind.Sale, "L-1", "2", 4950, "USD", "Kit", "ann@larkrow.example", "kit-a");
        var body = JsonSerializer.SerializeToUtf8Bytes(mapping.WriteSale(sale, "token"));
        using var json = JsonDocument.Parse(body);
        Assert.Equal(sale, SaleNotice.ReadJson(json.RootElement, mapping, SaleChannel.Hook).Notice);
        Assert.Equal("token", mapping.Field(json.RootElement, "wx"));
        var signature = HookSignature.Write(mapping, Secret, "1793000000", body);
        Assert.Null(HookSignature.Problem(mapping, [Secret], "1793000000", signature, body, Now));
        body[^2]++;
        Assert.NotNull(HookSignature.Problem(mapping, [Secret], "1793000000", signature, body, Now));
    }

    [Theory]
    [InlineData("{'order':'L-1','amount':'39.00','currency':'usd'}", null)]
    [InlineData("{'type':'refund','order':'L-1','amount':39.5,'currency':'EUR','refund':'R-1'}", null)]
    [InlineData("{'order':'L-1','amount':'3900','currency':'JPY'}", null)]
    [InlineData("{'order':'L-1','amount':'39.5','currency':'JPY'}", "amount")]
    [InlineData("{'order':'L-1','amount':'-39','currency':'USD'}", "amount")]
    [InlineData("{'order':'L-1','amount':'0','currency':'USD'}", "amount")]
    [InlineData("{'order':'L-1','amount':'39,00','currency':'USD'}", "amount")]
    [InlineData("{'order':'L-1','amount':true,'currency':'USD'}", "amount")]
    [InlineData("{'order':'','amount':'39','currency':'USD'}", "order")]
    [InlineData("{'amount':'39','currency':'USD'}", "order")]
    [InlineData("{'order':'L-1','amount':'39','currency':'gold'}", "currency")]
    [InlineData("{'order':'L-1','amount':'39','currency':'USD','type':'gift'}", "type")]
    [InlineData("['L-1']", "")]
    public void What_a_service_says_is_read_or_the_wrong_field_is_named(string json, string? wrong)
    {
        using var body = JsonDocument.Parse(json.Replace('\'', '"'));
        var (notice, field, problem) = SaleNotice.ReadJson(body.RootElement, HookMapping.Default, SaleChannel.Hook);
        Assert.Equal(wrong is null, notice is not null);
        if (wrong is not null)
            Assert.Equal((wrong, true), (field, problem.Length > 0));
        else
            Assert.Equal(notice, SaleNotice.Parse(notice!.ToJson()));
    }

    [Theory]
    [InlineData("sale", "2")]
    [InlineData("refund", "R-9")]
    public void A_sale_is_told_apart_by_its_line_and_a_refund_by_its_own_number(string type, string line) =>
        Assert.Equal(
            line,
            Read(
                new()
                {
                    ["type"] = type,
                    ["line"] = "2",
                    ["refund"] = "R-9",
                }
            ).Notice!.Line
        );

    [Theory]
    [InlineData("line")]
    [InlineData("product")]
    [InlineData("email")]
    [InlineData("page")]
    public void A_text_of_240_characters_is_taken_and_a_longer_one_names_its_field(string field)
    {
        Assert.NotNull(Read(new() { [field] = new string('k', 240) }).Notice);
        Assert.Equal((null, field, "At most 240 characters."), Read(new() { [field] = new string('k', 241) }));
    }

    private static (SaleNotice? Notice, string Field, string Problem) Read(Dictionary<string, string> fields)
    {
        var needed = new Dictionary<string, string>
        {
            ["order"] = "L-1",
            ["amount"] = "39",
            ["currency"] = "USD",
        };
        return SaleNotice.Read(
            name => fields.GetValueOrDefault(name) ?? needed.GetValueOrDefault(name),
            SaleChannel.Hook
        );
    }

    [Fact]
    public void An_order_number_has_up_to_120_characters()
    {
        Assert.NotNull(Read(new() { ["order"] = new string('7', 120) }).Notice);
        Assert.Equal("order", Read(new() { ["order"] = new string('7', 121) }).Field);
    }

    [Fact]
    public void A_service_that_names_no_words_for_sales_tells_of_sales()
    {
        using var body = JsonDocument.Parse("""{"event":"paid","order":"7","amount":"39","currency":"USD"}""");
        foreach (var words in new IReadOnlyList<string>?[] { null, [] })
        {
            var mapping = HookMapping.Default with
            {
                RefundWords = ["back"],
                SaleWords = words,
                Fields = new Dictionary<string, string> { ["type"] = "event" },
            };
            Assert.NotNull(SaleNotice.ReadJson(body.RootElement, mapping, SaleChannel.Hook).Notice);
        }
    }

    [Fact]
    public void The_same_thing_has_the_same_id_and_another_line_another()
    {
        var sale = new SaleNotice(SaleKind.Sale, "L-1", "1", 3900, "USD");
        // The first half of what sha256sum makes of "Sale", "L-1" and nothing, a line each without the last's end; and
        // of "1" in its place, as it was before.
        Assert.Equal(new Guid("659a73a9712c2e000ea14fbfe1f03674"), sale.Id());
        Assert.Equal(new Guid("88054fe0d3add57341fdb412b65649a6"), sale.FormerId);
        Assert.Equal(sale.Id(), (sale with { Line = "" }).Id());
        Assert.Null((sale with { Line = "2" }).FormerId);
        var refund = sale with { Kind = SaleKind.Refund };
        Assert.NotEqual(refund.Id(), (refund with { Line = "" }).Id());
        Assert.Null(refund.FormerId);
        Assert.Equal(sale.Id(), (sale with { Amount = 1, Email = "ann@larkrow.example" }).Id());
        Assert.Equal(
            4,
            new[] { sale, sale with { Line = "2" }, sale with { Order = "L-2" }, sale with { Kind = SaleKind.Refund } }
                .Select(each => each.Id())
                .Distinct()
                .Count()
        );
    }

    [Fact]
    public void An_order_brings_the_same_in_whatever_order_it_is_told() =>
        Gen.Select(Gen.Bool, Gen.Int[1, 5000])
            .List[0, 8]
            .AlwaysHolds(told =>
            {
                OrderBalance Sum(IEnumerable<(bool Sale, int Amount)> all) =>
                    all.Aggregate(new OrderBalance(), (sum, each) =>
                        sum.With(each.Sale ? SaleKind.Sale : SaleKind.Refund, each.Amount)
                    );
                return Sum(told).Net == Sum(told.AsEnumerable().Reverse()).Net && Sum(told).Net >= 0;
            });

    [Fact]
    public void A_service_that_signs_and_names_things_otherwise_is_taken_in_once_it_is_mapped()
    {
        var mapping = new HookMapping(
            "X-Signature",
            "",
            "sha256=",
            true,
            true,
            ["charge.refunded"],
            "custom",
            new Dictionary<string, string>
            {
                ["type"] = "event",
                ["order"] = "data.order.id",
                ["amount"] = "data.total",
                ["currency"] = "data.currency",
                ["wx"] = "data.custom",
            }
        );
        var json =
            """
            {"event":"charge.paid","data":{"order":{"id":77},"total":4900,"currency":"usd","custom":"token"}}
            """u8.ToArray();
        var signed = "sha256=" + Convert.ToBase64String(System.Security.Cryptography.HMACSHA256.HashData(Secret, json));
        Assert.Null(
            HookSignature.Problem(
                HookMapping.Parse(mapping.ToJson()),
                // One of two is enough, while a secret is renewed.
                ["another"u8.ToArray(), Secret],
                "",
                signed,
                json,
                DateTimeOffset.UnixEpoch
            )
        );
        Assert.NotNull(HookSignature.Problem(mapping, [Secret], "", signed[7..], json, DateTimeOffset.UnixEpoch));
        Assert.NotNull(
            HookSignature.Problem(mapping, ["another"u8.ToArray()], "", signed, json, DateTimeOffset.UnixEpoch)
        );
        using var body = System.Text.Json.JsonDocument.Parse(json);
        var (notice, _, problem) = SaleNotice.ReadJson(body.RootElement, mapping, SaleChannel.Hook);
        Assert.Equal(
            ("", SaleKind.Sale, "77", 4900L, "USD"),
            (problem, notice!.Kind, notice.Order, notice.Amount, notice.Currency)
        );
        Assert.Equal("token", mapping.Field(body.RootElement, "wx"));
        using var back = System.Text.Json.JsonDocument.Parse(
            """{"event":"charge.refunded","data":{"order":{"id":77},"total":-900,"currency":"usd"}}"""
        );
        Assert.Equal(
            (SaleKind.Refund, 900L),
            SaleNotice.ReadJson(back.RootElement, mapping, SaleChannel.Hook).Notice is { } refund
                ? (refund.Kind, refund.Amount)
                : default
        );
    }

    [Theory]
    [InlineData("charge.paid", "4900", "")]
    [InlineData("charge.refunded", "4900", "")]
    [InlineData("charge.disputed", "4900", "type")]
    [InlineData("ping", "4900", "type")]
    [InlineData("charge.paid", "\"49.5\"", "amount")]
    [InlineData("charge.paid", "49.5", "amount")]
    [InlineData("charge.paid", "\"$5\"", "amount")]
    [InlineData("charge.paid", "\"1 000\"", "amount")]
    public void What_a_mapped_service_tells_of_and_is_no_sale_is_refused_by_its_field(
        string type,
        string amount,
        string field
    )
    {
        var mapping = HookMapping.Default with
        {
            InSmallestUnits = true,
            RefundWords = ["charge.refunded"],
            SaleWords = ["charge.paid"],
            Fields = new Dictionary<string, string> { ["type"] = "event" },
        };
        using var body = System.Text.Json.JsonDocument.Parse(
            $$"""{"event":"{{type}}","order":"7","amount":{{amount}},"currency":"USD"}"""
        );
        var (notice, wrong, _) = SaleNotice.ReadJson(
            body.RootElement,
            HookMapping.Parse(mapping.ToJson()),
            SaleChannel.Hook
        );
        Assert.Equal((field, field.Length == 0), (wrong, notice is not null));
    }

    [Theory]
    [InlineData("USD", "$5", 500L)]
    [InlineData("USD", "49.5", 4950L)]
    [InlineData("USD", "€5", null)]
    [InlineData("EUR", "€5", 500L)]
    [InlineData("EUR", "$5", null)]
    [InlineData("USD", "$-5", null)]
    public void An_amount_with_another_currencys_sign_is_another_amount(
        string currency,
        string written,
        long? amount
    ) => Assert.Equal(amount, Currency.Find(currency)!.Parse(written));

    [Fact]
    public void An_amount_goes_from_one_currency_to_another_by_the_rates_of_the_day()
    {
        var day = new DateOnly(2026, 11, 9);
        var rates = new ExchangeRates(
            Currency.Find("USD")!,
            [new(Currency.Find("EUR")!, day, 1.25m), new(Currency.Find("GBP")!, day, 1.5m)]
        );
        Assert.Equal(800, rates.Convert(1000, "USD", "EUR", day));
        Assert.Equal(1250, rates.Convert(1000, "EUR", "USD", day));
        Assert.Equal(1200, rates.Convert(1000, "GBP", "EUR", day));
        Assert.Null(rates.Convert(1000, "USD", "EUR", day.AddDays(-1)));
        Assert.Null(rates.Convert(1000, "CHF", "EUR", day));
    }
}
