namespace Wexil.Core.Targeting;

/// <summary>
/// The short name by which a link says where its visitors come from: small letters, digits and a few signs.
/// </summary>
public static class SourceTag
{
    /// <summary>In characters.</summary>
    public const int MaxLength = 60;

    /// <summary>The parameter of a link that names its source.</summary>
    public const string Parameter = "s";

    /// <summary>A tag from what stands in an address; empty where nothing usable does.</summary>
    public static string From(ReadOnlySpan<char> text)
    {
        Span<char> tag = stackalloc char[MaxLength];
        var length = 0;
        foreach (var letter in text.Trim())
        {
            if (length == MaxLength)
                break;
            var small = char.ToLowerInvariant(letter);
            if (char.IsAsciiLetterOrDigit(small) || small is '-' or '_' or '.' or '~')
                tag[length++] = small;
            else if (length > 0 && tag[length - 1] != '-')
                tag[length++] = '-';
        }
        return tag[..length].Trim('-').ToString();
    }
}
