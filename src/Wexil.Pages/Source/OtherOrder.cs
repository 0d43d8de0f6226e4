using AngleSharp.Dom;

namespace Wexil.Pages.Source;

/// <summary>
/// The parts within a part, the other way round: a version of a section that only changes their order.
/// </summary>
public static class OtherOrder
{
    /// <summary>
    /// The same source with its parts in reverse, or those of its one outer element, or of the first within it that
    /// holds more than one; what stands between them stays where it is. Null where there are no two that can be taken
    /// as one piece each.
    /// </summary>
    public static string? Of(string source)
    {
        var map = SourceMap.Parse(source);
        SourceElement[] PartsOf(IElement? of) =>
            [.. map.Elements.Where(element => element.Element.ParentElement == of && !IsFixed(element))];
        var parts = PartsOf(map.Document.Body);
        while (parts is [var only])
            parts = PartsOf(only.Element);
        if (parts.Length < 2 || !parts.All(part => part.IsWhole))
            return null;
        var edits = new SourceEdits(source);
        for (var i = 0; i < parts.Length; i++)
            edits.Replace(parts[i].Start, parts[i].End, map.Outer(parts[^(i + 1)]));
        return edits.Apply();
    }

    private static bool IsFixed(SourceElement element) => element.Name is "br" || FrameTags.All.Contains(element.Name);
}
