namespace Wexil.Pages.Source;

/// <summary>
/// The mark of a section in a page's source: an attribute of the part's start tag, which visitors never get to see.
/// </summary>
public static class SectionMark
{
    /// <summary>Holds the section's name in addresses.</summary>
    public const string Attribute = "data-wexil-section";

    /// <summary>
    /// The source of a version that is whatever stands in the page: the first one of a section on an outside page.
    /// </summary>
    public const string AsItStands = "<!-- as it stands in the page -->";

    /// <summary>The section that an element is; null where it is none.</summary>
    internal static string? KeyOf(SourceElement element) =>
        element.IsWhole
        && !FrameTags.All.Contains(element.Name)
        && element.Element.GetAttribute(Attribute)?.Trim() is { Length: > 0 } key
            ? key
            : null;
}
