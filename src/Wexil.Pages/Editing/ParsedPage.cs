using Wexil.Core.Pages;
using Wexil.Pages.Source;

namespace Wexil.Pages.Editing;

/// <summary>A page's source, read once for everything that is to be done with it.</summary>
public sealed class ParsedPage
{
    private ParsedPage(SourceMap map) => Map = map;

    /// <summary>The text that was taken apart.</summary>
    public string Source => Map.Source;

    internal SourceMap Map { get; }

    /// <summary>Takes a source apart.</summary>
    public static ParsedPage From(string source) => new(SourceMap.Parse(source));

    /// <summary>
    /// The stretch of source that an edit is about as a whole: what nobody else may have changed meanwhile. Start and
    /// end.
    /// </summary>
    public (int Start, int End) ClaimOf(PageEdit edit, TextChange change)
    {
        var stretch = (change.Start, End: change.Start + change.Removed.Length);
        int? whole = edit switch
        {
            PageEdit.Text text => text.Node,
            PageEdit.Remove remove => remove.Node,
            PageEdit.Hide hide => hide.Node,
            _ => null,
        };
        if (whole is not { } node || Map.Find(node) is not { } element)
            return stretch;
        return (Math.Min(stretch.Start, element.Start), Math.Max(stretch.End, element.End));
    }

    /// <summary>Where a part begins in the source; null when there is no such part.</summary>
    public int? StartOf(int node) => Map.Find(node)?.Start;

    /// <summary>The source of a part, its tags included; null when there is no such part.</summary>
    public string? OuterOf(int node) => Map.Find(node) is { } element ? Map.Outer(element) : null;

    /// <summary>The words of a part, to be shown to a person; null when there is no such part.</summary>
    public string? WordsOf(int node) =>
        Map.Find(node) is { } element ? HtmlText.Collapse(element.Element.TextContent) : null;

    /// <summary>The number of the innermost part that holds a place of the source; null when none does.</summary>
    public int? PartAt(int place)
    {
        SourceElement? found = null;
        foreach (var element in Map.Elements)
        {
            if (element.Start > place)
                break;
            if (place < element.End)
                found = element;
        }
        return found?.Id;
    }
}
