using AngleSharp.Dom;
using Wexil.Pages.Editing;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;

namespace Wexil.Pages.Differences;

/// <summary>
/// Says in words which part of a page is meant: "Headline", "Order button", "Text under “What you get”".
/// </summary>
internal static class PlaceName
{
    private const int MaxLength = 48;

    private static readonly HashSet<string> Texts =
    [
        "p",
        "blockquote",
        "figcaption",
        "small",
        "span",
        "strong",
        "em",
        "b",
        "i",
        "dt",
        "dd",
        "label",
        "td",
        "th",
        "summary",
    ];

    public static string For(Part part)
    {
        if (part.Element?.Element is not { } element)
            return $"Text {Under(part)}";
        return part.Tag switch
        {
            "h1" => IsFirst(element, "h1") ? "Headline" : Quoted("Heading", element.TextContent),
            "h2" or "h3" or "h4" or "h5" or "h6" => Quoted("Heading", element.TextContent),
            "title" => "Page title",
            "meta" => Meta(element),
            "style" => "Styles",
            "script" or "noscript" => "Script",
            "link" => "Style sheet",
            "base" => "Base address",
            "html" or "body" => "Page",
            "head" => "Page head",
            "img" or "picture" => Picture(part, element),
            "svg" => $"Graphic {Under(part)}",
            "video" or "iframe" or "audio" => $"Video {Under(part)}",
            "form" => OptInForms.EmailField(element) is null ? $"Form {Under(part)}" : "Opt-in form",
            "input"
            or "textarea"
            or "select" when element.GetAttribute("type") is not ("submit" or "button" or "image") => Field(element),
            "button" or "input" => Button(element),
            "a" => IsBuy(element)
                ? "Order button"
                : Quoted(LooksLikeButton(element) ? "Button" : "Link", element.TextContent),
            "li" => $"List item {Under(part)}",
            _ when part.IsLeaf || Texts.Contains(part.Tag) => $"Text {Under(part)}",
            _ => Section(part, element),
        };
    }

    private static string Picture(Part part, IElement element) =>
        element.GetAttribute("alt") is { Length: > 0 } words ? Quoted("Picture", words) : $"Picture {Under(part)}";

    private static string Field(IElement element) =>
        Quoted(
            "Field",
            element.GetAttribute("placeholder")
                ?? element.GetAttribute("aria-label")
                ?? element.GetAttribute("name")
                ?? ""
        );

    private static string Section(Part part, IElement element)
    {
        if (element.GetAttribute("data-block") is { } key && Block.Find(key) is { } block)
            return block.Name;
        if (
            element.QuerySelector("h1, h2, h3, h4, h5, h6")?.TextContent is { } heading
            && !string.IsNullOrWhiteSpace(heading)
        )
            return Quoted("Section", heading);
        var named = element.GetAttribute("aria-label") ?? element.Id;
        return string.IsNullOrEmpty(named) ? $"Section {Under(part)}" : Quoted("Section", named);
    }

    private static string Button(IElement element)
    {
        if (element.Closest("form") is { } form && OptInForms.EmailField(form) is not null)
            return "Opt-in button";
        return IsBuy(element) ? "Order button" : Quoted("Button", element.GetAttribute("value") ?? element.TextContent);
    }

    private static string Meta(IElement meta) =>
        (meta.GetAttribute("name") ?? meta.GetAttribute("property"))?.ToLowerInvariant() switch
        {
            "description" => "Description",
            "og:image" => "Sharing image",
            "viewport" => "Viewport setting",
            { } name => $"Meta tag “{HtmlText.Shorten(name, MaxLength)}”",
            null => "Meta tag",
        };

    private static bool IsBuy(IElement element) =>
        element.GetAttribute(Wiring.RoleAttribute) == Wiring.Buy
        || element.GetAttribute("href")?.Contains("/buy/", StringComparison.Ordinal) == true;

    private static bool LooksLikeButton(IElement element) =>
        element.ClassName is { } name
            && (
                name.Contains("btn", StringComparison.OrdinalIgnoreCase)
                || name.Contains("button", StringComparison.OrdinalIgnoreCase)
            )
        || element.GetAttribute("role") == "button";

    private static bool IsFirst(IElement element, string tag) => element.Owner?.QuerySelector(tag) == element;

    /// <summary>Where a part without a name stands: under the heading that comes before it.</summary>
    private static string Under(Part part)
    {
        for (var at = part; at.Parent is { } parent; at = parent)
        {
            var i = parent.Children.IndexOf(at);
            for (var before = i - 1; before >= 0; before--)
            {
                if (LastHeading(parent.Children[before]) is not { } heading)
                    continue;
                return heading.Tag == "h1" ? "under the headline" : Quoted("under", heading.Text);
            }
        }
        return "at the top";
    }

    private static Part? LastHeading(Part part)
    {
        if (part.Tag is "h1" or "h2" or "h3" or "h4" or "h5" or "h6" && part.Text.Length > 0)
            return part;
        for (var i = part.Children.Count - 1; i >= 0; i--)
            if (LastHeading(part.Children[i]) is { } heading)
                return heading;
        return null;
    }

    private static string Quoted(string kind, string text) =>
        HtmlText.Collapse(text) is { Length: > 0 } words ? $"{kind} “{HtmlText.Shorten(words, MaxLength)}”" : kind;
}
