using System.Text.RegularExpressions;

namespace Wexil.Core.Goals;

/// <summary>How much of an address is compared.</summary>
public enum AddressMatch
{
    /// <summary>The address is the text.</summary>
    Exact,

    /// <summary>The address begins with the text.</summary>
    Begins,

    /// <summary>The text is a regular expression that the address matches somewhere.</summary>
    Pattern,
}

/// <summary>Addresses that a goal is met at.</summary>
/// <param name="Text">With or without the domain: "https://example.com/thanks", "example.com/thanks", "/thanks"; or a
/// regular expression.</param>
/// <param name="IgnoresCase">Capitals do not matter. Those of the domain never do.</param>
public sealed record AddressPattern(AddressMatch Match, string Text, bool IgnoresCase)
{
    /// <summary>In characters.</summary>
    public const int MaxLength = 500;

    /// <summary>The longest address that an expression is tried on, in characters.</summary>
    public const int MaxAddressLength = 8192;

    private Regex? _expression;

    /// <summary>What is wrong with it; null when it can be used.</summary>
    public string? Problem()
    {
        if (string.IsNullOrWhiteSpace(Text))
            return "Enter the address that visitors reach, with or without its domain.";
        if (Text.Length > MaxLength)
            return $"At most {MaxLength} characters.";
        if (Match != AddressMatch.Pattern)
            return Text.Any(char.IsWhiteSpace) ? "An address has no spaces." : null;
        try
        {
            _ = Expression();
            return null;
        }
        catch (ArgumentException error)
        {
            return $"This is not a valid regular expression: {error.Message}";
        }
        catch (NotSupportedException)
        {
            return "Look-arounds and back-references cannot be used: they can be too slow.";
        }
    }

    /// <summary>Is the goal met at an address, and why, or why not?</summary>
    /// <param name="address">As a browser shows it.</param>
    public (bool Matches, string Why) Judge(string address)
    {
        if (!Uri.TryCreate(address, UriKind.Absolute, out var uri) || uri.Scheme is not ("http" or "https"))
            return (false, "it is not an address that begins with http:// or https://");
        return Match == AddressMatch.Pattern ? JudgeExpression(uri) : JudgeText(uri);
    }

    private (bool, string) JudgeExpression(Uri uri)
    {
        // The engine without backtracking takes a step a character, so the length alone bounds it, on a busy machine
        // too.
        if (uri.AbsoluteUri.Length > MaxAddressLength)
            return (false, $"it is longer than {MaxAddressLength} characters");
        return Expression().Match(uri.AbsoluteUri) is { Success: true } found
            ? (true, $"the expression matches “{found.Value}” in it")
            : (false, "the expression matches nothing in it");
    }

    private (bool, string) JudgeText(Uri uri)
    {
        var (host, path) = Wanted();
        if (host is not null && !host.Equals(uri.Authority, StringComparison.OrdinalIgnoreCase))
            return (false, $"its domain is {uri.Authority} and not {host}");
        // A query or a fragment counts only where the owner wrote one.
        var given = uri.AbsolutePath + (path.Contains('?') ? uri.Query : "") + (path.Contains('#') ? uri.Fragment : "");
        var how = IgnoresCase ? StringComparison.OrdinalIgnoreCase : StringComparison.Ordinal;
        if (Match == AddressMatch.Begins ? given.StartsWith(path, how) : Same(given, path, how))
            return (true, Match == AddressMatch.Begins ? $"its path begins with {path}" : $"its path is {path}");
        if (
            !IgnoresCase
            && (
                Match == AddressMatch.Begins
                    ? given.StartsWith(path, StringComparison.OrdinalIgnoreCase)
                    : Same(given, path, StringComparison.OrdinalIgnoreCase)
            )
        )
            return (false, "it differs only in upper and lower case");
        return (
            false,
            Match == AddressMatch.Begins
                ? $"its path {given} does not begin with {path}"
                : $"its path is {given} and not {path}"
        );
    }

    // A slash at the end is no other page to those who wrote the address down.
    private static bool Same(string a, string b, StringComparison how) =>
        a.Equals(b, how) || a.TrimEnd('/').Equals(b.TrimEnd('/'), how);

    private (string? Host, string Path) Wanted()
    {
        var text = Text.Trim();
        if (text.StartsWith('/') && !text.StartsWith("//", StringComparison.Ordinal))
            return (null, text);
        var rest = text.IndexOf("//", StringComparison.Ordinal) is >= 0 and var at ? text[(at + 2)..] : text;
        var slash = rest.IndexOfAny(['/', '?', '#']);
        return slash < 0 ? (rest, "/") : (rest[..slash], rest[slash] == '/' ? rest[slash..] : "/" + rest[slash..]);
    }

    private Regex Expression() =>
        _expression ??= new(
            Text.Trim(),
            RegexOptions.NonBacktracking
                | RegexOptions.CultureInvariant
                | (IgnoresCase ? RegexOptions.IgnoreCase : RegexOptions.None)
        );
}
