using System.Text.RegularExpressions;

namespace Wexil.Core.AdNetworks;

/// <summary>What an ad network is told of a visitor whom it sent.</summary>
/// <param name="Event">"opt-in" or "sale".</param>
/// <param name="Value">An amount with a point, such as 49.00; empty for none.</param>
/// <param name="Line">Tells what was bought in the same order apart, such as an upsell; empty for all of it.</param>
public sealed record Postback(
    string ClickId,
    string Event,
    string Value = "",
    string Currency = "",
    string Order = "",
    string Line = ""
);

/// <summary>An address that an ad network wants to be told at, with names in braces where our values go.</summary>
public sealed partial record PostbackAddress
{
    /// <summary>In characters.</summary>
    public const int MaxLength = 1000;
    private const string Click = "{click_id}";

    private PostbackAddress(string template) => Template = template;

    /// <summary>The address with its places still open, as the owner wrote it.</summary>
    public string Template { get; }

    /// <summary>Reads one, or says what is wrong with it.</summary>
    public static (PostbackAddress? Address, string? Problem) Read(string? written)
    {
        var text = (written ?? "").Trim();
        if (text.Length > MaxLength)
            return (null, $"At most {MaxLength} characters.");
        if (!text.Contains(Click, StringComparison.Ordinal))
            return (null, $"Put {Click} where the click ID goes.");
        if (Names().Matches(text).FirstOrDefault(name => Value(name.Value, Empty) is null) is { } unknown)
            return (
                null,
                $"{unknown.Value} is not a known placeholder. Use {Click}, {{event}}, {{value}}, {{currency}}, "
                    + $"{{order}} and {{line}}."
            );
        if (
            !Uri.TryCreate(new PostbackAddress(text).Fill(Empty), UriKind.Absolute, out var address)
            || address.Scheme is not ("http" or "https")
            || address.UserInfo.Length > 0
        )
            return (null, "Enter a full address such as https://ads.example/told?click={click_id}&value={value}.");
        // A name filled in before the path would let a link decide whom we ask.
        var first = text.IndexOf('{', StringComparison.Ordinal);
        var path = text.IndexOf('/', text.IndexOf("//", StringComparison.Ordinal) + 2);
        return path >= 0 && path < first
            ? (new(text), null)
            : (null, "Placeholders are allowed only after the host name.");
    }

    /// <summary>The address with a postback's values, encoded, in their places.</summary>
    public string Fill(Postback told) =>
        Names().Replace(Template, name => Uri.EscapeDataString(Value(name.Value, told) ?? name.Value));

    private static readonly Postback Empty = new("x", "sale", "1", "USD", "1", "1");

    private static string? Value(string name, Postback told) =>
        name switch
        {
            Click => told.ClickId,
            "{event}" => told.Event,
            "{value}" => told.Value,
            "{currency}" => told.Currency,
            "{order}" => told.Order,
            "{line}" => told.Line,
            _ => null,
        };

    [GeneratedRegex(@"\{[^{}]*\}", RegexOptions.NonBacktracking)]
    private static partial Regex Names();
}
