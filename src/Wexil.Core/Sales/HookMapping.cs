using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Wexil.Core.Sales;

/// <summary>What a payment service calls things, and how it signs, where it cannot be told to do as we do.</summary>
/// <param name="SignatureHeader">Where the signature stands.</param>
/// <param name="TimestampHeader">Where the time of sending stands, in Unix seconds; empty where the service sends none
/// and signs the body alone.</param>
/// <param name="Prefix">Stands before the signature, such as "sha256="; may be empty.</param>
/// <param name="IsBase64">The signature is in Base64, and not in hexadecimal digits.</param>
/// <param name="InSmallestUnits">Amounts are whole numbers of the currency's smallest unit.</param>
/// <param name="RefundWords">What the field <c>type</c> says of a refund, in small letters.</param>
/// <param name="SaleWords">What the field <c>type</c> says of a sale, in small letters; empty in mappings of an earlier
/// time, where all that is no refund is one.</param>
/// <param name="PassThrough">A further parameter of outside addresses that carries the visitor token, for tills that
/// hand back one of their own only; empty for none.</param>
/// <param name="Fields">By our name of a field where it stands in theirs, with points between levels:
/// "data.order.id".</param>
public sealed record HookMapping(
    string SignatureHeader,
    string TimestampHeader,
    string Prefix,
    bool IsBase64,
    bool InSmallestUnits,
    IReadOnlyList<string> RefundWords,
    string PassThrough,
    IReadOnlyDictionary<string, string> Fields,
    IReadOnlyList<string>? SaleWords = null
)
{
    /// <summary>The fields that can stand elsewhere.</summary>
    public static readonly IReadOnlyList<string> Names =
    [
        "type",
        "order",
        "line",
        "refund",
        "amount",
        "currency",
        "product",
        "email",
        "page",
        "wx",
    ];

    /// <summary>The names of Wexil’s own contract.</summary>
    public static readonly HookMapping Default = new(
        HookSignature.SignatureHeader,
        HookSignature.TimestampHeader,
        "",
        false,
        false,
        ["refund"],
        "",
        new Dictionary<string, string>()
    );

    /// <summary>As stored.</summary>
    public string ToJson() => JsonSerializer.Serialize(this);

    /// <summary>Reads what <see cref="ToJson"/> wrote; an empty text is the default.</summary>
    public static HookMapping Parse(string text) => JsonSerializer.Deserialize<HookMapping>(text) ?? Default;

    /// <summary>A field's text as the service sends it, under our name; null where it is not there.</summary>
    public string? Field(JsonElement body, string name)
    {
        var value = Raw(body, name);
        return name switch
        {
            "type" when value is not null && Fields.ContainsKey("type") => Kind(value),
            // Whole numbers only: 49.5 smallest units are no amount, and no 49.50 either.
            "amount" when InSmallestUnits => long.TryParse(
                value?.TrimStart('-'),
                NumberStyles.None,
                CultureInfo.InvariantCulture,
                out var units
            ) && Common.Currency.Find(Raw(body, "currency")?.Trim().ToUpperInvariant()) is { } currency
                ? currency.Write(units)
                : "",
            "currency" => value?.ToUpperInvariant(),
            _ => value,
        };
    }

    /// <summary>A sale as the service sends it, to be read back by <see cref="SaleNotice.ReadJson"/>.</summary>
    /// <param name="token">The visitor token that came with the buyer.</param>
    public JsonObject WriteSale(SaleNotice sale, string token)
    {
        var body = new JsonObject();
        var currency = Common.Currency.Find(sale.Currency)!;
        Put(body, "type", Fields.ContainsKey("type") && SaleWords is [var word, ..] ? word : "sale");
        Put(body, "order", sale.Order);
        Put(body, "line", sale.Line);
        Put(body, "amount", InSmallestUnits ? sale.Amount : currency.Write(sale.Amount));
        Put(body, "currency", sale.Currency);
        Put(body, "product", sale.Product);
        Put(body, "email", sale.Email);
        Put(body, "page", sale.Page);
        Put(body, "wx", token);
        return body;
    }

    private void Put(JsonObject body, string name, JsonNode value)
    {
        var path = Fields.GetValueOrDefault(name, name).Split('.');
        foreach (var part in path[..^1])
        {
            if (body[part] is not JsonObject inner)
                body[part] = inner = [];
            body = inner;
        }
        body[path[^1]] = value;
    }

    /// <summary>
    /// Services tell of much else: a test, a dispute, an attempt. What is neither a sale nor a refund is refused.
    /// </summary>
    private string Kind(string told)
    {
        var word = told.ToLowerInvariant();
        if (RefundWords.Contains(word))
            return "refund";
        return SaleWords is not { Count: > 0 } || SaleWords.Contains(word) ? "sale" : told;
    }

    private string? Raw(JsonElement body, string name)
    {
        foreach (var part in Fields.GetValueOrDefault(name, name).Split('.'))
            if (body.ValueKind != JsonValueKind.Object || !body.TryGetProperty(part, out body))
                return null;
        return body.ValueKind switch
        {
            JsonValueKind.String => body.GetString(),
            JsonValueKind.Number => body.GetRawText(),
            _ => null,
        };
    }
}
