using System.Text.Json;

namespace Wexil.Core.Sales;

/// <summary>What a payment service calls things, and how it signs, where it cannot be told to do as we do.</summary>
/// <param name="SignatureHeader">Where the signature stands.</param>
/// <param name="TimestampHeader">Where the time of sending stands, in Unix seconds; empty where the service sends none and signs the body alone.</param>
/// <param name="Prefix">Stands before the signature, such as "sha256="; may be empty.</param>
/// <param name="IsBase64">The signature is in Base64, and not in hexadecimal digits.</param>
/// <param name="InSmallestUnits">Amounts are whole numbers of the currency's smallest unit.</param>
/// <param name="RefundWords">What the field <c>type</c> says of a refund, in small letters.</param>
/// <param name="PassThrough">A further parameter of outside addresses that carries the visitor token, for tills that hand back one of their own only; empty for none.</param>
/// <param name="Fields">By our name of a field where it stands in theirs, with points between levels: "data.order.id".</param>
public sealed record HookMapping(
    string SignatureHeader, string TimestampHeader, string Prefix, bool IsBase64, bool InSmallestUnits, IReadOnlyList<string> RefundWords, string PassThrough, IReadOnlyDictionary<string, string> Fields)
{
    /// <summary>The fields that can stand elsewhere.</summary>
    public static readonly IReadOnlyList<string> Names = ["type", "order", "line", "refund", "amount", "currency", "product", "email", "page", "wx"];

    public static readonly HookMapping Usual = new(
        HookSignature.SignatureHeader, HookSignature.TimestampHeader, "", false, false, ["refund"], "", new Dictionary<string, string>());

    public string ToJson() => JsonSerializer.Serialize(this);

    public static HookMapping Parse(string text) => JsonSerializer.Deserialize<HookMapping>(text) ?? Usual;

    /// <summary>A field's text as the service sends it, under our name; null where it is not there.</summary>
    public string? Field(JsonElement body, string name)
    {
        var value = Raw(body, name);
        return name switch
        {
            // Whatever a service calls a sale, what is no refund is one.
            "type" when value is not null && Fields.ContainsKey("type") => RefundWords.Contains(value.ToLowerInvariant()) ? "refund" : "sale",
            "amount" when InSmallestUnits && long.TryParse(value?.TrimStart('-'), out var units) && Funnels.Currency.Find(Raw(body, "currency")?.Trim().ToUpperInvariant()) is { } currency => currency.Write(units),
            "currency" => value?.ToUpperInvariant(),
            _ => value,
        };
    }

    private string? Raw(JsonElement body, string name)
    {
        foreach (var part in Fields.GetValueOrDefault(name, name).Split('.'))
            if (body.ValueKind != JsonValueKind.Object || !body.TryGetProperty(part, out body)) return null;
        return body.ValueKind switch
        {
            JsonValueKind.String => body.GetString(),
            JsonValueKind.Number => body.GetRawText(),
            _ => null,
        };
    }
}
