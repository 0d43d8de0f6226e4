using System.Runtime.InteropServices;
using AngleSharp.Dom;
using Wexil.Pages.Source;

namespace Wexil.Pages.Differences;

/// <summary>A part of a page as differences see it: an element, or a run of text beside elements.</summary>
internal sealed class Part
{
    public const string Run = "#text";

    private static readonly HashSet<string> Whole =
    [
        "script",
        "style",
        "textarea",
        "title",
        "svg",
        "template",
        "option",
    ];

    // Attributes that say nothing about the page to its reader.
    private static readonly HashSet<string> Ignored = ["style", "data-wx", "xmlns"];

    // Most parts have none of these, and a large page has many parts.
    private static readonly List<Part> None = [];
    private static readonly Dictionary<string, string> NoAttributes = [];
    private static readonly List<KeyValuePair<string, string>> Unstyled = [];

    private Dictionary<string, int>? _words;
    private string? _text;

    private Part(Part? parent, SourceElement? element, string tag) => (Parent, Element, Tag) = (parent, element, tag);

    public Part? Parent { get; }

    /// <summary>Null for a run of text.</summary>
    public SourceElement? Element { get; }

    public string Tag { get; }

    public List<Part> Children { get; private set; } = None;

    /// <summary>
    /// What a reader reads here, white space collapsed; of a part that holds others only for comparing.
    /// </summary>
    public string Text
    {
        get => _text ??= string.Join(' ', Children.Select(child => child.Text).Where(words => words.Length > 0));
        private set => _text = value;
    }

    /// <summary>Its place among the parts of its page, once the page is read.</summary>
    public int Order { get; private set; }

    /// <summary>Its text is compared as one: it holds nothing but words and emphasis.</summary>
    public bool IsLeaf { get; private set; }

    public Dictionary<string, string> Attributes { get; private set; } = NoAttributes;

    public List<KeyValuePair<string, string>> Style { get; private set; } = Unstyled;

    public ulong Hash { get; private set; }

    public int Weight { get; private set; } = 1;

    /// <summary>
    /// The place of the part in the source; for a run of text only when it stands there as one piece.
    /// </summary>
    public (int Start, int End)? Place { get; private set; }

    /// <summary>The part of the other page that this one is.</summary>
    public Part? Match { get; set; }

    public bool IsMoved { get; set; }

    public static Part From(SourceMap map)
    {
        var root = new Part(null, null, "#page");
        root.Fill(map, map.Document);
        root.Finish();
        var order = 0;
        foreach (var part in root.All())
            part.Order = order++;
        return root;
    }

    public IEnumerable<Part> All()
    {
        var open = new Stack<Part>([this]);
        while (open.TryPop(out var part))
        {
            yield return part;
            for (var i = part.Children.Count - 1; i >= 0; i--)
                open.Push(part.Children[i]);
        }
    }

    /// <summary>How alike what is read in two parts is, 0 to 1: the share of words in common.</summary>
    public double Likeness(Part other)
    {
        var (mine, theirs) = (Words(), other.Words());
        int common = 0,
            all = 0;
        foreach (var (word, count) in mine)
        {
            all += count;
            common += Math.Min(count, theirs.GetValueOrDefault(word));
        }
        foreach (var count in theirs.Values)
            all += count;
        return all == 0 ? 1 : 2.0 * common / all;
    }

    private Dictionary<string, int> Words()
    {
        if (_words is not null)
            return _words;
        _words = new(StringComparer.OrdinalIgnoreCase);
        foreach (var word in Text.Split(' ', StringSplitOptions.RemoveEmptyEntries))
            CollectionsMarshal.GetValueRefOrAddDefault(_words, word, out _)++;
        return _words;
    }

    private void Add(Part child)
    {
        if (ReferenceEquals(Children, None))
            Children = [];
        Children.Add(child);
    }

    private void Fill(SourceMap map, INode holder)
    {
        var place = Element?.OpenEnd ?? 0;
        var nodes = holder.ChildNodes;
        for (var n = 0; n < nodes.Length; n++)
        {
            var child = nodes[n];
            if (child is IText text)
            {
                var words = HtmlText.Collapse(text.Data);
                if (words.Length == 0)
                    continue;
                var run = new Part(this, null, Run) { IsLeaf = true, Text = words };
                var end = Following(map, nodes, n) ?? Element?.CloseStart ?? map.Source.Length;
                if (place <= end && HtmlText.Collapse(HtmlText.Decode(map.Source[place..end])) == words)
                    run.Place = Trim(map.Source, place, end);
                run.Finish();
                Add(run);
            }
            else if (child is IElement element)
            {
                // What the parser made up, such as a body or a table's body without a tag, counts as not being there.
                if (map.Find(element) is not { } written)
                {
                    Fill(map, element);
                    continue;
                }
                Add(Make(map, written));
                place = Math.Max(place, written.End);
            }
        }
    }

    private Part Make(SourceMap map, SourceElement written)
    {
        var element = written.Element;
        var part = new Part(this, written, written.Name)
        {
            Place = (written.Start, written.End),
            Style = element.GetAttribute("style") is { } style ? InlineStyle.Parse(style) : Unstyled,
        };
        if (element.Attributes.Length > 0)
            part.Attributes = new(element.Attributes.Length, StringComparer.Ordinal);
        foreach (var attribute in element.Attributes)
            if (!Ignored.Contains(attribute.Name))
                part.Attributes[attribute.Name] =
                    attribute.Name == "class" ? HtmlText.Collapse(attribute.Value) : attribute.Value.Trim();
        if (Whole.Contains(written.Name))
        {
            part.IsLeaf = true;
            part.Text = HtmlText.Collapse(
                written.Name is "svg" or "template" ? map.Inner(written) : element.TextContent
            );
        }
        else if (HoldsText(element) && IsInline(element))
        {
            part.IsLeaf = true;
            part.Text = HtmlText.Collapse(element.TextContent);
            foreach (var child in element.ChildNodes)
                if (child is IElement inline && map.Find(inline) is { } held)
                    part.Add(part.Make(map, held));
        }
        else
        {
            part.Fill(map, element);
        }
        part.Finish();
        return part;
    }

    private static bool IsInline(IElement element)
    {
        var nodes = element.ChildNodes;
        for (var n = 0; n < nodes.Length; n++)
            if (nodes[n] is IElement child && (!InlineTags.Names.Contains(child.LocalName) || !IsInline(child)))
                return false;
        return true;
    }

    private static bool HoldsText(IElement element)
    {
        var nodes = element.ChildNodes;
        for (var n = 0; n < nodes.Length; n++)
            if (nodes[n] is IText text && !string.IsNullOrWhiteSpace(text.Data))
                return true;
        return false;
    }

    private static int? Following(SourceMap map, INodeList nodes, int place)
    {
        for (var next = place + 1; next < nodes.Length; next++)
            if (nodes[next] is IElement element && map.Find(element) is { } written)
                return written.Start;
        return null;
    }

    private static (int, int) Trim(string source, int start, int end)
    {
        while (start < end && char.IsWhiteSpace(source[start]))
            start++;
        while (end > start && char.IsWhiteSpace(source[end - 1]))
            end--;
        return (start, end);
    }

    private void Finish()
    {
        var hash = Mix(14695981039346656037, Tag);
        // The order of attributes means nothing.
        ulong sum = 0;
        foreach (var (name, value) in Attributes)
            sum += Mix(Mix(1469598103934665603, name), value);
        foreach (var (name, value) in Style)
            sum += Mix(Mix(7809847782465536322, name), value);
        hash = Mix(hash, sum);
        if (IsLeaf)
            hash = Mix(hash, Text);
        foreach (var child in Children)
        {
            hash = Mix(hash, child.Hash);
            Weight += child.Weight;
        }
        if (IsLeaf)
            Weight += Text.Length / 20;
        Hash = hash;
    }

    private static ulong Mix(ulong hash, string text)
    {
        foreach (var c in text)
            hash = (hash ^ c) * 1099511628211;
        return (hash ^ 0xFF51) * 1099511628211;
    }

    private static ulong Mix(ulong hash, ulong other) =>
        System.Numerics.BitOperations.RotateLeft(hash ^ (other * 0x9E3779B97F4A7C15), 27) * 1099511628211 + 0x52DCE729;
}
