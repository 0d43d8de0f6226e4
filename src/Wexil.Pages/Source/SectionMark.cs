namespace Wexil.Pages.Source;

/// <summary>
/// The marks of a section in a page's source: an attribute of the part's start tag, or one of each where the section
/// goes from one part to another beside it. Visitors never get to see them.
/// </summary>
public static class SectionMark
{
    /// <summary>Holds the section's name in addresses.</summary>
    public const string Attribute = "data-wexil-section";

    /// <summary>Holds the name of a section that begins with this part and ends with another beside it.</summary>
    public const string From = "data-wexil-section-from";

    /// <summary>Holds the name of a section that ends with this part.</summary>
    public const string To = "data-wexil-section-to";

    /// <summary>
    /// The source of a version that is whatever stands in the page: the first one of a section on an outside page.
    /// </summary>
    public const string AsItStands = "<!-- as it stands in the page -->";

    internal static readonly string[] All = [Attribute, From, To];

    /// <summary>The sections of a page in its order, none within another.</summary>
    internal static List<MarkedPart> Find(SourceMap map)
    {
        var found = new List<MarkedPart>();
        foreach (var element in map.Elements)
            if ((found is not [.., var before] || element.Start >= before.End) && Of(map, element) is { } marked)
                found.Add(marked);
        return found;
    }

    private static MarkedPart? Of(SourceMap map, SourceElement element)
    {
        if (!IsPiece(element))
            return null;
        if (Key(element, Attribute) is { } key)
            return new(key, element, element);
        if (Key(element, From) is not { } from)
            return null;
        // What stands between the two is replaced with them, so all of it has to be whole.
        for (var next = element.Element.NextElementSibling; next is not null; next = next.NextElementSibling)
        {
            if (map.Find(next) is not { IsWhole: true } last || last.Start < element.End)
                return null;
            if (IsPiece(last) && Key(last, To) == from)
                return new(from, element, last);
        }
        return null;
    }

    private static bool IsPiece(SourceElement element) => element.IsWhole && !FrameTags.All.Contains(element.Name);

    private static string? Key(SourceElement element, string mark) =>
        element.Element.GetAttribute(mark)?.Trim() is { Length: > 0 } key ? key : null;
}

/// <summary>A section with the first and the last of its parts; most have one.</summary>
internal sealed record MarkedPart(string Key, SourceElement First, SourceElement Last)
{
    public int Start => First.Start;

    public int End => Last.End;
}
