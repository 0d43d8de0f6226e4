using System.Buffers;

namespace Wexil.Pages.Source;

/// <summary>
/// How much there is to read in a source, about, and found in one pass: before a parser is let at it, which looks
/// through all open elements at each end tag that ends none of them.
/// </summary>
internal sealed class MarkupMeasure
{
    private static readonly SearchValues<char> NameEnds = SearchValues.Create(" \t\n\r\f/>");

    // Elements without an end of their own: they hold nothing, or the next one of their kind ends them.
    private static readonly HashSet<string> NeverDeep = new(
        [
            .. VoidElements.All,
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

    private const int MaxNameLength = 40;

    private readonly string _source;
    private readonly List<string> _open = [];

    // Nothing ends them further on, so that they are not looked for again and again.
    private readonly HashSet<string> _endless = new(StringComparer.OrdinalIgnoreCase);

    private MarkupMeasure(string source) => _source = source;

    /// <summary>How many tags there are.</summary>
    public int Tags { get; private set; }

    /// <summary>How many elements are open at once, at most.</summary>
    public int Open { get; private set; }

    /// <summary>How many open elements a parser looks at for all end tags together.</summary>
    public long EndTagWork { get; private set; }

    /// <summary>Measures a source.</summary>
    public static MarkupMeasure Of(string source)
    {
        var measure = new MarkupMeasure(source);
        for (var i = source.IndexOf('<'); i >= 0 && i + 1 < source.Length; i = source.IndexOf('<', i))
        {
            i = string.CompareOrdinal(source, i, "<!--", 0, 4) == 0 ? EndOfComment(source, i) : measure.Take(i);
            if (i < 0)
                break;
        }
        return measure;
    }

    private static int EndOfComment(string source, int at) => source.IndexOf("-->", at + 4, StringComparison.Ordinal);

    /// <returns>Where to go on; below 0 where nothing follows.</returns>
    private int Take(int at)
    {
        var isEnd = _source[at + 1] == '/';
        var start = at + (isEnd ? 2 : 1);
        if (start >= _source.Length || !char.IsAsciiLetter(_source[start]))
            return at + 1;
        var length = _source.AsSpan(start).IndexOfAny(NameEnds);
        if (length < 0)
            return -1;
        var name = _source.Substring(start, Math.Min(length, MaxNameLength));
        Tags++;
        if (RawText.Contains(name) && !isEnd && !_endless.Contains(name))
        {
            var close = _source.IndexOf($"</{name}", start, StringComparison.OrdinalIgnoreCase);
            if (close >= 0)
                return close + 1;
            _endless.Add(name);
        }
        else if (isEnd)
            Close(name);
        else if (!NeverDeep.Contains(name))
            _open.Add(name);
        Open = Math.Max(Open, _open.Count);
        return at + 1;
    }

    /// <summary>
    /// An end tag ends one of the innermost elements, and leaves open those within that a parser may leave open too.
    /// </summary>
    private void Close(string name)
    {
        const int innermost = 4;
        for (var i = _open.Count - 1; i >= Math.Max(0, _open.Count - innermost); i--)
        {
            if (!_open[i].Equals(name, StringComparison.OrdinalIgnoreCase))
                continue;
            _open.RemoveAt(i);
            EndTagWork += innermost;
            return;
        }
        EndTagWork += _open.Count;
    }
}
