using System.Buffers;

namespace Wexil.Pages.Source;

/// <summary>Tells whether a text is a page that can be taken in, before anything is made of it.</summary>
public static class PageSource
{
    /// <summary>The longest source, in characters.</summary>
    public const int MaxLength = 4 << 20;

    /// <summary>
    /// How deep elements may stand in one another. Browsers themselves stop at 512; a parser needs time that grows with
    /// the square of the depth.
    /// </summary>
    public const int MaxDepth = 1000;

    private static readonly SearchValues<char> NameEnds = SearchValues.Create(" \t\n\r\f/>");

    // Elements without an end of their own: they hold nothing, or the next one of their kind ends them.
    private static readonly HashSet<string> NeverDeep = new(
        [
            "area",
            "base",
            "br",
            "col",
            "embed",
            "hr",
            "img",
            "input",
            "link",
            "meta",
            "param",
            "source",
            "track",
            "wbr",
            "p",
            "li",
            "dt",
            "dd",
            "option",
            "optgroup",
            "tr",
            "td",
            "th",
            "tbody",
            "thead",
            "tfoot",
            "colgroup",
            "caption",
            "rt",
            "rp",
            "html",
            "head",
            "body",
            "!doctype",
        ],
        StringComparer.OrdinalIgnoreCase
    );

    private static readonly HashSet<string> RawText = new(
        ["script", "style", "textarea", "title", "xmp", "noembed", "noframes"],
        StringComparer.OrdinalIgnoreCase
    );

    /// <summary>Why a text is no page that can be taken in, as a sentence; null when it is one.</summary>
    public static string? Problem(string source)
    {
        if (source.Length > MaxLength)
            return $"A page can have up to {MaxLength >> 20} MB of HTML.";
        if (source.Contains('\0', StringComparison.Ordinal))
            return "This is not a text file.";
        var (depth, tags) = Measure(source);
        if (tags == 0)
            return "This is not HTML: it has no tags.";
        return depth > MaxDepth
            ? $"This page has elements nested more than {MaxDepth:N0} deep. Browsers do not show such pages as "
                + "written; remove the extra nesting."
            : null;
    }

    /// <summary>
    /// How deep its elements stand in one another at most, as far as the tags say, and how many tags there are; in one
    /// pass.
    /// </summary>
    internal static (int Depth, int Tags) Measure(string source)
    {
        int depth = 0,
            deepest = 0,
            tags = 0;
        for (var i = source.IndexOf('<'); i >= 0 && i + 1 < source.Length; i = source.IndexOf('<', i))
        {
            var isEnd = source[i + 1] == '/';
            var start = i + (isEnd ? 2 : 1);
            if (string.CompareOrdinal(source, i, "<!--", 0, 4) == 0)
            {
                if (source.IndexOf("-->", i + 4, StringComparison.Ordinal) is not (>= 0 and var behind))
                    break;
                i = behind;
                continue;
            }
            i++;
            if (start >= source.Length || !char.IsAsciiLetter(source[start]))
                continue;
            var length = source.AsSpan(start).IndexOfAny(NameEnds);
            if (length < 0)
                break;
            var name = source.Substring(start, Math.Min(length, 40));
            tags++;
            if (RawText.Contains(name) && !isEnd)
            {
                if (source.IndexOf($"</{name}", start, StringComparison.OrdinalIgnoreCase) is not (>= 0 and var close))
                    break;
                i = close + 1;
            }
            else if (!NeverDeep.Contains(name))
                depth = isEnd ? Math.Max(0, depth - 1) : depth + 1;
            deepest = Math.Max(deepest, depth);
        }
        return (deepest, tags);
    }
}
