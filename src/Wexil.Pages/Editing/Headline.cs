using AngleSharp.Dom;
using Wexil.Pages.Source;

namespace Wexil.Pages.Editing;

/// <summary>The headline of a page, the first thing that is worth testing.</summary>
/// <param name="Node">Its number among the elements of the source.</param>
/// <param name="Words">As a reader sees it.</param>
public sealed record Headline(int Node, string Words)
{
    /// <summary>The first heading of the highest rank that can be edited; null where the page has none.</summary>
    public static Headline? Of(string source)
    {
        var map = SourceMap.Parse(source);
        foreach (var name in new[] { "h1", "h2", "h3" })
        {
            foreach (var element in map.Elements)
                if (element.Name == name && element.IsWhole && WordsOf(element.Element) is { Length: > 0 } words)
                    return new(element.Id, words);
        }
        return null;
    }

    /// <summary>The page with another headline; null where that cannot be written into it.</summary>
    public string? Write(string source, string words) =>
        PageEditor.Apply(source, new PageEdit.Text(Node, HtmlText.Encode(words))).Source;

    private static string WordsOf(IElement element) => HtmlText.Collapse(element.TextContent);
}
