using System.Diagnostics;
using System.Text.Json;
using CsCheck;
using Wexil.Core.Sales;

namespace Wexil.Core.Tests.Sales;

/// <summary>Messages of a payment service that is broken, or is none.</summary>
[Trait("For", "security")]
public sealed class HostileHookTests
{
    private const int Longest = 64 << 10;

    private const string Begun = "{\"order\":\"K-1\",\"amount\":49.00,\"currency\":\"USD\",";

    private static readonly HookMapping[] Mappings =
    [
        HookMapping.Default,
        HookMapping.Default with
        {
            InSmallestUnits = true,
            Fields = new Dictionary<string, string> { ["order"] = "data.order.id", ["amount"] = "data.amount" },
        },
    ];

    [Fact]
    public void Whatever_is_made_up_is_a_sale_or_refused_in_words()
    {
        string[] pieces =
        [
            "{",
            "}",
            "[",
            "]",
            "\"type\":\"sale\",",
            "\"order\":\"K-1\",",
            "\"order\":[",
            "\"amount\":1e999,",
            "\"amount\":49.00,",
            "\"amount\":\"-0\",",
            "\"currency\":\"USD\",",
            "\"currency\":{},",
            "\"data\":{\"order\":{\"id\":7},\"amount\":4900},",
            "\"email\":\"\\ud800\",",
            "\"product\":null,",
            "\"page\":true,",
            "\"x\":1",
            "\\u0000",
        ];
        Gen.Select(Gen.OneOf([.. pieces.Select(Gen.Const)]).Array[1, 8], Gen.Int[1, 400], Gen.Bool)
            .Array[1, 4]
            .AlwaysHolds(
                parts =>
                {
                    var body = string.Concat(
                        parts.SelectMany(part => Enumerable.Repeat(string.Concat(part.Item1), part.Item2))
                    );
                    // Half of them are a sale, but for what is made up.
                    body = parts[0].Item3 ? Begun + body + "\"x\":1}" : body;
                    var watch = Stopwatch.StartNew();
                    foreach (var mapping in Mappings)
                        if (Read(body[..Math.Min(body.Length, Longest)], mapping) is { } read)
                        {
                            Assert.True(read.Notice is null != (read.Problem.Length == 0), read.Problem);
                        }
                    // Alone it takes milliseconds; other tests run beside it.
                    Assert.True(watch.Elapsed < TimeSpan.FromSeconds(2), $"{watch.Elapsed}");
                },
                iter: 2_000
            );
    }

    private static (SaleNotice? Notice, string Field, string Problem)? Read(string body, HookMapping mapping)
    {
        try
        {
            using var json = JsonDocument.Parse(body);
            return SaleNotice.ReadJson(json.RootElement, mapping, SaleChannel.Hook);
        }
        catch (Exception error) when (error is JsonException or InvalidOperationException)
        {
            // As the endpoint does, which says that it is no JSON: half of a letter is no text.
            return null;
        }
    }
}
