using System.Buffers;

namespace Wexil.Pages.Source;

/// <summary>Tells whether a text is a page that can be taken in, before anything is made of it.</summary>
public static class PageSource
{
    /// <summary>The longest source, in characters.</summary>
    public const int MaxLength = 4 << 20;

    /// <summary>
    /// How deep elements may stand in one another. Browsers themselves stop at 512.
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
        return Measure(source).Tags == 0 ? "This is not HTML: it has no tags." : ProblemOfReading(source);
    }

    /// <summary>Why a page takes too long to read, as a sentence; null where it does not.</summary>
    internal static string? ProblemOfReading(string source)
    {
        try
        {
            BoundedParser.Document(source).Dispose();
            return null;
        }
        catch (PageTooComplexException error)
        {
            return error.Message;
        }
    }

    internal static string TooDeep { get; } =
        $"This page has elements nested more than {MaxDepth:N0} deep. Browsers do not show such pages as written; "
        + "remove the extra nesting.";

    /// <summary>
    /// How many tags there are, how many elements are open at once, and how many of those a parser looks at for all
    /// end tags together; about, and in one pass.
    /// </summary>
    internal static (int Tags, int Open, long EndTagWork) Measure(string source)
    {
        int tags = 0,
            most = 0;
        var work = 0L;
        var open = new List<string>();
        // Nothing ends them behind here, so that they are not looked for again and again.
        var endless = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
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
            if (RawText.Contains(name) && !isEnd && !endless.Contains(name))
            {
                var close = source.IndexOf($"</{name}", start, StringComparison.OrdinalIgnoreCase);
                if (close >= 0)
                    i = close + 1;
                else
                    endless.Add(name);
            }
            else if (isEnd)
                work += Close(open, name);
            else if (!NeverDeep.Contains(name))
                open.Add(name);
            most = Math.Max(most, open.Count);
        }
        return (tags, most, work);
    }

    /// <summary>
    /// An end tag ends one of the innermost elements, and leaves open those within that a parser may leave open too.
    /// </summary>
    /// <returns>How many open elements it is looked for in.</returns>
    private static int Close(List<string> open, string name)
    {
        const int innermost = 4;
        for (var i = open.Count - 1; i >= Math.Max(0, open.Count - innermost); i--)
        {
            if (!open[i].Equals(name, StringComparison.OrdinalIgnoreCase))
                continue;
            open.RemoveAt(i);
            return innermost;
        }
        return open.Count;
    }
}
