using System.Text.Json;
using System.Text.Json.Serialization;
using Wexil.Core.Common;

namespace Wexil.Core.Sales;

/// <summary>Which way money goes; the names are stored.</summary>
public enum SaleKind
{
    /// <summary>Money in for a line of an order.</summary>
    Sale,

    /// <summary>Money back against an order, all of it or a part.</summary>
    Refund,
}

/// <summary>By which way a sale came to be known.</summary>
public enum SaleChannel
{
    /// <summary>Told by a payment service.</summary>
    Hook,

    /// <summary>Put in by hand.</summary>
    Hand,

    /// <summary>Taken in from a file.</summary>
    File,

    /// <summary>A server told a goal's address of it.</summary>
    Signal,
}

/// <summary>What is said of a sale or a refund, and of whom.</summary>
/// <param name="Line">Tells the lines of an order apart, or the refunds against it; may be empty where there is
/// one.</param>
/// <param name="Amount">In the currency's smallest unit, above 0.</param>
/// <param name="Page">The slug of the page whose buy button was followed; empty where it is not known.</param>
public sealed record SaleNotice(
    SaleKind Kind,
    string Order,
    string Line,
    long Amount,
    string Currency,
    string Product = "",
    string Email = "",
    string Page = "",
    SaleChannel Channel = SaleChannel.Hook
)
{
    /// <summary>Of an order’s number, a line and a product, in characters.</summary>
    public const int MaxNameLength = 120;
    private static readonly JsonSerializerOptions Format = new() { Converters = { new JsonStringEnumConverter() } };

    private const string FirstLine = "1";

    /// <summary>
    /// The same for every telling of the same thing, so that it counts once however often it is told. An order of one
    /// line is the same with its number and without.
    /// </summary>
    public Guid Id() => IdOf(IsFirstLine ? "" : Line);

    /// <summary>What a first line that had a number went by before; null for any other telling.</summary>
    public Guid? FormerId => IsFirstLine ? IdOf(FirstLine) : null;

    private bool IsFirstLine => Kind == SaleKind.Sale && Line is "" or FirstLine;

    private Guid IdOf(string line) => NameBasedId.From($"{Kind}\n{Order}\n{line}");

    /// <summary>As stored with its event.</summary>
    public string ToJson() => JsonSerializer.Serialize(this, Format);

    /// <summary>Reads what <see cref="ToJson"/> wrote.</summary>
    public static SaleNotice Parse(string json) => JsonSerializer.Deserialize<SaleNotice>(json, Format)!;

    /// <summary>Reads the fields as somebody told them, or says which is wrong and how.</summary>
    /// <param name="field">A field's text by its name; null where it is not there.</param>
    public static (SaleNotice? Notice, string Field, string Problem) Read(
        Func<string, string?> field,
        SaleChannel channel
    )
    {
        string Text(string name) => field(name)?.Trim() ?? "";
        var kind = KindOf(Text("type"));
        if (kind is null)
            return Wrong("type", "The type must be sale or refund; nothing was recorded.");
        if (Text("order") is not { Length: > 0 and <= MaxNameLength } order)
            return Wrong("order", $"Enter an order number of up to {MaxNameLength} characters.");
        if (Common.Currency.Find(Text("currency").ToUpperInvariant()) is not { } currency)
            return Wrong("currency", "Unknown currency. Use three letters such as USD.");
        var amount = currency.Parse(Text("amount"));
        if (amount is not > 0)
            return Wrong(
                "amount",
                $"Enter an amount above 0 such as {currency.Write(3900)}, with a decimal point and no currency sign."
            );
        var line = Text(kind == SaleKind.Refund ? "refund" : "line");
        if (TooLong(name => name == "line" ? line : Text(name)) is { } tooLong)
            return Wrong(tooLong, $"At most {MaxNameLength * 2} characters.");
        return (
            new(
                kind.Value,
                order,
                line,
                amount.Value,
                currency.Code,
                Text("product"),
                Text("email").ToLowerInvariant(),
                Text("page"),
                channel
            ),
            "",
            ""
        );

        static (SaleNotice?, string, string) Wrong(string name, string problem) => (null, name, problem);
    }

    private static string? TooLong(Func<string, string> text) =>
        Array.Find(["line", "product", "email", "page"], name => text(name).Length > MaxNameLength * 2);

    private static SaleKind? KindOf(string type) =>
        type.ToLowerInvariant() switch
        {
            "sale" or "" => SaleKind.Sale,
            "refund" => SaleKind.Refund,
            _ => null,
        };

    /// <summary>Reads a JSON body, whose fields may be texts or numbers and stand where the mapping says.</summary>
    public static (SaleNotice? Notice, string Field, string Problem) ReadJson(
        JsonElement body,
        HookMapping mapping,
        SaleChannel channel
    ) =>
        body.ValueKind != JsonValueKind.Object
            ? (null, "", "The body must be a JSON object.")
            : Read(name => mapping.Field(body, name), channel);
}
