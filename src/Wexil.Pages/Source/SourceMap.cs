using AngleSharp.Dom;
using AngleSharp.Html.Parser;

namespace Wexil.Pages.Source;

/// <summary>Where an element stands in the source of its page.</summary>
/// <param name="Id">Its number among the elements of the source, in the order of their start tags.</param>
/// <param name="Start">The place of its start tag.</param>
/// <param name="OpenEnd">The place behind its start tag.</param>
/// <param name="CloseStart">The place of its end tag, or where it ends without one.</param>
/// <param name="End">The place behind it.</param>
/// <param name="IsWhole">All that it holds stands between its tags, so that it can be taken as one piece. Misnested
/// markup is not.</param>
internal sealed record SourceElement(
    int Id,
    IElement Element,
    StartTag Tag,
    int Start,
    int OpenEnd,
    int CloseStart,
    int End,
    bool IsWhole
)
{
    public string Name => Element.LocalName;
}

/// <summary>
/// A page's source with the place of each element in it. The tree is the one that browsers build (AngleSharp follows
/// the HTML standard); the ends of elements are found by reading the source between them, so that an edit changes what
/// it is about and not a character more, in pages that were never well formed too.
/// </summary>
internal sealed class SourceMap
{
    private static readonly HtmlParser Parser = new(
        new HtmlParserOptions { IsKeepingSourceReferences = true, IsScripting = false }
    );

    private static readonly HashSet<string> Void =
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
    ];
    private static readonly HashSet<string> RawText =
    [
        "script",
        "style",
        "textarea",
        "title",
        "xmp",
        "iframe",
        "noembed",
        "noframes",
        "template",
    ];

    private readonly Dictionary<IElement, SourceElement> _byElement = new(ReferenceEqualityComparer.Instance);

    private SourceMap(string source)
    {
        Source = source;
        Document = Parser.ParseDocument(source);
        var all = Document.All.ToArray();
        var tags = new Dictionary<int, (IElement Element, StartTag Tag)>(all.Length);
        var split = new HashSet<int>();
        var behind = 0;
        foreach (var element in all)
        {
            // Elements that the parser made up have no place, and of one that it made twice the first has it.
            var place =
                element.SourceReference is { } reference ? reference.Position.Position - 1
                : element.LocalName is "svg" or "math" ? Unplaced(element.LocalName, behind)
                : -1;
            if (StartTag.At(source, place, element.LocalName) is not { } tag)
                continue;
            if (!tags.TryAdd(place, (element, tag)))
            {
                split.Add(place);
                continue;
            }
            behind = RawText.Contains(element.LocalName) ? Close(element, tag, tag.End, tags).End : tag.End;
        }
        var placed = tags.OrderBy(tag => tag.Key).ToArray();
        var ids = new Dictionary<IElement, int>(placed.Length, ReferenceEqualityComparer.Instance);
        for (var i = 0; i < placed.Length; i++)
            ids[placed[i].Value.Element] = i;
        var elements = new SourceElement[placed.Length];
        var ranges = new Dictionary<IElement, (int Start, int End, bool IsWhole)>(
            all.Length,
            ReferenceEqualityComparer.Instance
        );
        // Children come behind their parents in document order, so from the end they are known first.
        for (var i = all.Length - 1; i >= 0; i--)
        {
            var element = all[i];
            if (!ids.TryGetValue(element, out var id))
            {
                var held = element
                    .ChildNodes.OfType<IElement>()
                    .Where(ranges.ContainsKey)
                    .Select(child => ranges[child])
                    .ToArray();
                if (held.Length > 0)
                    ranges[element] = (held.Min(range => range.Start), held.Max(range => range.End), false);
                continue;
            }
            var (start, (_, tag)) = placed[id];
            var end = tag.End;
            var whole = !split.Contains(start);
            // By number: a node finds its sibling only by counting from the first.
            var nodes = element.ChildNodes;
            for (var n = 0; n < nodes.Length; n++)
            {
                if (nodes[n] is not IElement child || !ranges.TryGetValue(child, out var range))
                    continue;
                whole &= range.Start >= end && (range.IsWhole || !ids.ContainsKey(child));
                end = Math.Max(end, range.End);
            }
            var (closeStart, closeEnd) = Close(element, tag, end, tags);
            elements[id] = new(id, element, tag, start, tag.End, closeStart, closeEnd, whole);
            ranges[element] = (start, closeEnd, whole);
            _byElement[element] = elements[id];
        }
        Elements = elements;
    }

    public string Source { get; }

    public IDocument Document { get; }

    /// <summary>All elements that stand in the source, in the order of their start tags.</summary>
    public IReadOnlyList<SourceElement> Elements { get; }

    public static SourceMap Parse(string source) => new(source);

    /// <summary>The element with this number; null when there is none.</summary>
    public SourceElement? Find(int id) => id >= 0 && id < Elements.Count ? Elements[id] : null;

    /// <summary>Where an element of the tree stands; null for one that the parser made up.</summary>
    public SourceElement? Find(IElement element) => _byElement.GetValueOrDefault(element);

    /// <summary>The element's source, its tags included.</summary>
    public string Outer(SourceElement element) => Source[element.Start..element.End];

    /// <summary>The source between the element's tags.</summary>
    public string Inner(SourceElement element) => Source[element.OpenEnd..element.CloseStart];

    /// <summary>
    /// The parser does not say where a drawing begins: it is the first such tag behind the element before it.
    /// </summary>
    private int Unplaced(string name, int place)
    {
        var i = place;
        while ((i = i < Source.Length ? Source.IndexOf('<', i) : -1) >= 0)
        {
            if (IsName(i + 1, name))
                return i;
            var end =
                string.CompareOrdinal(Source, i, "<!--", 0, 4) == 0
                    ? Source.IndexOf("-->", i + 4, StringComparison.Ordinal)
                    : i;
            if (end < 0)
                break;
            i = end + 1;
        }
        return -1;
    }

    private (int Start, int End) Close(
        IElement element,
        StartTag tag,
        int place,
        Dictionary<int, (IElement Element, StartTag Tag)> tags
    )
    {
        var name = element.LocalName;
        var isHtml = element.NamespaceUri == NamespaceNames.HtmlUri;
        if (isHtml ? Void.Contains(name) : Source[tag.End - 2] == '/')
            return (tag.End, tag.End);
        var raw = isHtml && RawText.Contains(name);
        var i = place;
        while (true)
        {
            i = i >= Source.Length ? -1 : Source.IndexOf('<', i);
            if (i < 0 || i + 1 >= Source.Length)
                return (Source.Length, Source.Length);
            var next = Source[i + 1];
            if (next == '/' && IsName(i + 2, name))
                return (i, Behind(i));
            if (raw)
                i++;
            else if (next == '/')
            {
                // An end tag of what this element stands in ends this one too; any other end tag is a stray one.
                if (IsAnyOpen(element, i + 2))
                    return (i, i);
                i = Behind(i);
            }
            else if (string.CompareOrdinal(Source, i, "<!--", 0, 4) == 0)
            {
                var end = Source.IndexOf("-->", i + 4, StringComparison.Ordinal);
                i = end < 0 ? Source.Length : end + 3;
            }
            else if (next is '!' or '?')
                i = Behind(i);
            else if (char.IsAsciiLetter(next))
            {
                // What starts here is none of this element's children, unless the parser dropped the tag.
                if (tags.ContainsKey(i))
                    return (i, i);
                i = Behind(i);
            }
            else
                i++;
        }
    }

    private int Behind(int place) => Source.IndexOf('>', place) is >= 0 and var end ? end + 1 : Source.Length;

    private bool IsName(int place, string name) =>
        place + name.Length <= Source.Length
        && string.Compare(Source, place, name, 0, name.Length, StringComparison.OrdinalIgnoreCase) == 0
        && (
            place + name.Length == Source.Length
            || Source[place + name.Length] is '>' or '/'
            || char.IsWhiteSpace(Source[place + name.Length])
        );

    private bool IsAnyOpen(IElement element, int place)
    {
        for (var parent = element.ParentElement; parent is not null; parent = parent.ParentElement)
            if (IsName(place, parent.LocalName))
                return true;
        return false;
    }
}
