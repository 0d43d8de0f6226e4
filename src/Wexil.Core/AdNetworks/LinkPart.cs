using Wexil.Core.Common;
using Wexil.Core.Targeting;

namespace Wexil.Core.AdNetworks;

/// <summary>
/// A parameter of a link that an ad network fills in: <c>click={click_id}</c>, where the network puts its own in place
/// of what stands in braces.
/// </summary>
public readonly record struct LinkPart(string Name, string Macro)
{
    private const int MaxLength = 80;

    /// <summary>Reads it as a person writes it; null for what is none.</summary>
    public static LinkPart? Parse(string? written)
    {
        var text = (written ?? "").Trim().TrimStart('&', '?');
        var equals = text.IndexOf('=', StringComparison.Ordinal);
        if (
            equals < 1
            || equals == text.Length - 1
            || text.Length > MaxLength
            || text.Any(letter => letter is <= ' ' or > '~' or '&' or '#' or '"' or '<' or '>')
        )
            return null;
        var name = text[..equals];
        return
            name.All(letter => char.IsAsciiLetterOrDigit(letter) || letter is '-' or '_' or '.')
            && !new AddressQuery.Part(name).IsOurs
            && name != SourceTag.Parameter
            ? new(name, text[(equals + 1)..])
            : null;
    }

    /// <summary>The part as it is put on a link: "click={click_id}".</summary>
    public override string ToString() => $"{Name}={Macro}";
}
