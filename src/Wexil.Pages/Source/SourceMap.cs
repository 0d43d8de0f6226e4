using AngleSharp.Dom;

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
        Document = BoundedParser.Document(source, keepsPlaces: true);
        var all = Document.All.ToArray();
        var (tags, split) = FindTags(all);
        Elements = Measure(all, tags, split);
    }

    private readonly record struct Range(int Start, int End, bool IsWhole);

    /// <returns>The tags by their place, and the places of those that the parser made more than one element
    /// of.</returns>
    private (Dictionary<int, (IElement Element, StartTag Tag)> Tags, HashSet<int> Split) FindTags(IElement[] all)
    {
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
            if (StartTag.At(Source, place, element.LocalName) is not { } tag)
                continue;
            if (!tags.TryAdd(place, (element, tag)))
            {
                split.Add(place);
                continue;
            }
            behind = RawText.Contains(element.LocalName) ? Close(element, tag, tag.End, tags).End : tag.End;
        }
        return (tags, split);
    }

    private SourceElement[] Measure(
        IElement[] all,
        Dictionary<int, (IElement Element, StartTag Tag)> tags,
        HashSet<int> split
    )
    {
        var placed = tags.OrderBy(tag => tag.Key).ToArray();
        var ids = new Dictionary<IElement, int>(placed.Length, ReferenceEqualityComparer.Instance);
        for (var i = 0; i < placed.Length; i++)
            ids[placed[i].Value.Element] = i;
        var elements = new SourceElement[placed.Length];
        var ranges = new Dictionary<IElement, Range>(all.Length, ReferenceEqualityComparer.Instance);
        // Children come behind their parents in document order, so from the end they are known first.
        for (var i = all.Length - 1; i >= 0; i--)
        {
            var element = all[i];
            if (!ids.TryGetValue(element, out var id))
            {
                if (RangeOfMadeUp(element, ranges) is { } held)
                    ranges[element] = held;
                continue;
            }
            var (start, (_, tag)) = placed[id];
            var (end, isWhole) = Children(element, tag.End, ranges, ids);
            isWhole &= !split.Contains(start);
            var (closeStart, closeEnd) = Close(element, tag, end, tags);
            elements[id] = new(id, element, tag, start, tag.End, closeStart, closeEnd, isWhole);
            ranges[element] = new(start, closeEnd, isWhole);
            _byElement[element] = elements[id];
        }
        return elements;
    }

    private static Range? RangeOfMadeUp(IElement element, Dictionary<IElement, Range> ranges)
    {
        Range[] held =
        [
            .. element.ChildNodes.OfType<IElement>().Where(ranges.ContainsKey).Select(child => ranges[child]),
        ];
        return held.Length == 0 ? null : new(held.Min(range => range.Start), held.Max(range => range.End), false);
    }

    private static (int End, bool AreWhole) Children(
        IElement element,
        int end,
        Dictionary<IElement, Range> ranges,
        Dictionary<IElement, int> ids
    )
    {
        var areWhole = true;
        // By number: a node finds its sibling only by counting from the first.
        var nodes = element.ChildNodes;
        for (var n = 0; n < nodes.Length; n++)
        {
            if (nodes[n] is not IElement child || !ranges.TryGetValue(child, out var range))
                continue;
            areWhole &= range.Start >= end && (range.IsWhole || !ids.ContainsKey(child));
            end = Math.Max(end, range.End);
        }
        return (end, areWhole);
    }

    public string Source { get; }

    public IDocument Document { get; }

    /// <summary>All elements that stand in the source, in the order of their start tags.</summary>
    public IReadOnlyList<SourceElement> Elements { get; }

    public static SourceMap Parse(string source) => new(source);

    /// <summary>The element with this number; null when there is none.</summary>
    public SourceElement? Find(int id) => id >= 0 && id < Elements.Count ? Elements[id] : null;

    /// <summary>How many elements begin before a place of the source.</summary>
    public int CountBefore(int place)
    {
        int low = 0,
            high = Elements.Count;
        while (low < high)
        {
            var middle = (low + high) / 2;
            if (Elements[middle].Start < place)
                low = middle + 1;
            else
                high = middle;
        }
        return low;
    }

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
        if (isHtml ? VoidElements.All.Contains(name) : Source[tag.End - 2] == '/')
            return (tag.End, tag.End);
        var raw = isHtml && RawText.Contains(name);
        var i = place;
        while (true)
        {
            i = i >= Source.Length ? -1 : Source.IndexOf('<', i);
            if (i < 0 || i + 1 >= Source.Length)
                return (Source.Length, Source.Length);
            if (Source[i + 1] == '/' && IsName(i + 2, name))
                return (i, Behind(i));
            if (raw)
                i++;
            else if (EndsBefore(i, element, tags))
                return (i, i);
            else
                i = Over(i);
        }
    }

    // An end tag of what this element stands in ends this one too; any other end tag is a stray one. What starts here
    // is none of this element's children, unless the parser dropped the tag.
    private bool EndsBefore(int place, IElement element, Dictionary<int, (IElement Element, StartTag Tag)> tags) =>
        Source[place + 1] == '/'
            ? IsAnyOpen(element, place + 2)
            : char.IsAsciiLetter(Source[place + 1]) && tags.ContainsKey(place);

    // Behind a tag, a comment or what only looks like one.
    private int Over(int place)
    {
        if (string.CompareOrdinal(Source, place, "<!--", 0, 4) == 0)
        {
            var end = Source.IndexOf("-->", place + 4, StringComparison.Ordinal);
            return end < 0 ? Source.Length : end + 3;
        }
        var next = Source[place + 1];
        return next is '/' or '!' or '?' || char.IsAsciiLetter(next) ? Behind(place) : place + 1;
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
