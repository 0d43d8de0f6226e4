using System.Text;
using System.Text.RegularExpressions;

namespace Wexil.Core.Common;

/// <summary>
/// The readable part of a permanent address: printed in ads, so short, lower case and without anything that needs
/// encoding.
/// </summary>
public static partial class Slug
{
    /// <summary>In characters.</summary>
    public const int MaxLength = 60;

    // The program runs without the system's language data, so the usual Latin letters are named here.
    private static readonly (string Letters, string Ascii)[] Plain =
    [
        ("àáâãåāăą", "a"),
        ("ä", "ae"),
        ("æ", "ae"),
        ("çćčĉ", "c"),
        ("ďđð", "d"),
        ("èéêëēėęě", "e"),
        ("ğģ", "g"),
        ("ìíîïīįı", "i"),
        ("ķ", "k"),
        ("łļľ", "l"),
        ("ñńņň", "n"),
        ("òóôõøōő", "o"),
        ("ö", "oe"),
        ("œ", "oe"),
        ("ŕř", "r"),
        ("śšşș", "s"),
        ("ß", "ss"),
        ("ťţț", "t"),
        ("ùúûūůűų", "u"),
        ("ü", "ue"),
        ("ýÿ", "y"),
        ("źžż", "z"),
    ];

    /// <summary>
    /// What is wrong with a slug as typed, in words for the person who typed it; null when it can be used.
    /// </summary>
    public static string? Problem(string? slug)
    {
        if (string.IsNullOrEmpty(slug))
            return "Enter a link name: letters, digits and hyphens.";
        if (slug.Length > MaxLength)
            return $"At most {MaxLength} characters; this has {slug.Length}.";
        if (slug.Any(char.IsAsciiLetterUpper))
            return "Use lowercase letters only.";
        return Form().IsMatch(slug) ? null : "Use only a to z, digits and single hyphens.";
    }

    /// <summary>
    /// A usable slug made from a name: "Winter light!" gives "winter-light"; "page" when nothing usable is left.
    /// </summary>
    public static string From(string name)
    {
        var plain = new StringBuilder();
        foreach (var c in name.ToLowerInvariant())
        {
            if (char.IsAsciiLetterLower(c) || char.IsAsciiDigit(c))
                plain.Append(c);
            else
                plain.Append(Plain.FirstOrDefault(pair => pair.Letters.Contains(c)).Ascii ?? "-");
        }
        var slug = string.Join('-', plain.ToString().Split('-', StringSplitOptions.RemoveEmptyEntries));
        if (slug.Length > MaxLength)
            slug = slug[..MaxLength].TrimEnd('-');
        return slug.Length == 0 ? "page" : slug;
    }

    /// <summary>The first of slug, slug-2, slug-3 … that is not taken.</summary>
    public static string Free(string slug, Func<string, bool> taken)
    {
        if (!taken(slug))
            return slug;
        for (var number = 2; ; number++)
        {
            var suffix = $"-{number}";
            var numbered = slug[..Math.Min(slug.Length, MaxLength - suffix.Length)].TrimEnd('-') + suffix;
            if (!taken(numbered))
                return numbered;
        }
    }

    [GeneratedRegex("^[a-z0-9]+(-[a-z0-9]+)*$")]
    private static partial Regex Form();
}
