using Wexil.Core.Common;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;
using Wexil.Pages.Starters;

namespace Wexil.Pages.Editing;

/// <summary>
/// A piece of a page that can be put between two others. It takes its type from the page, and its button the look of
/// the page's own.
/// </summary>
/// <param name="Name">As it is offered: "Guarantee".</param>
public sealed record Block(string Key, string Name)
{
    /// <summary>All that are offered, in order.</summary>
    public static IReadOnlyList<Block> All { get; } =
    [
        new("text", "Headline and text"),
        new("picture", "Picture"),
        new("benefits", "Benefits"),
        new("testimonials", "Testimonials"),
        new("order", "Price and order box"),
        new("guarantee", "Guarantee"),
        new("questions", "Questions and answers"),
        new("opt-in", "Opt-in form"),
        new("video", "Video"),
        new("logo", "Logo"),
    ];

    // A grey sign, where the owner has kept no logo.
    private const string NoLogo =
        "data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 12 4'%3E%3Crect width='12' "
        + "height='4' fill='%23d9d6cc'/%3E%3C/svg%3E";

    /// <summary>Null where there is none of the key.</summary>
    public static Block? Find(string key) => All.FirstOrDefault(block => block.Key == key);

    /// <summary>The block's markup for a page.</summary>
    internal string For(SourceMap page, Brand brand)
    {
        var like =
            page.Elements.Where(element => element.Name is "button" or "a").MaxBy(Prominence) is { } most
            && Prominence(most) > 0
                ? most
                : null;
        var look = like is null
            ? $" style=\"background-color: {brand.Accent}; color: {brand.OnAccent}; padding: .7em 1.4em; border: 0; "
                + "border-radius: 4px; font: inherit; font-weight: bold; text-decoration: none; display: inline-block\""
            : Written("class", like.Element.GetAttribute("class"))
                + Written("style", like.Element.GetAttribute("style"));
        return EmbeddedText
            .Read(typeof(Block).Assembly, $"Editing.Blocks.{Key}.html")
            .TrimEnd()
            .Replace(" data-look", look, StringComparison.Ordinal)
            .Replace("{{logo}}", brand.Logo?.DataAddress() ?? NoLogo, StringComparison.Ordinal);

        // The button that a page wants pressed: marked or called so, and not one of its menus.
        static int Prominence(SourceElement element)
        {
            var name = element.Element.ClassName ?? "";
            bool Named(string part) => name.Contains(part, StringComparison.OrdinalIgnoreCase);
            if (Named("toggle") || Named("close") || string.IsNullOrWhiteSpace(element.Element.TextContent))
                return 0;
            var looks = Named("btn") || Named("button") || Named("cta");
            return (element.Element.GetAttribute(Wiring.RoleAttribute) == Wiring.Buy ? 8 : 0)
                + (looks && (Named("primary") || Named("cta")) ? 4 : 0)
                + (
                    looks ? 2
                    : element.Name == "button" ? 1
                    : 0
                )
                + (looks && element.Element.Closest("nav") is null ? 1 : 0);
        }

        static string Written(string name, string? value) =>
            value is null ? "" : $" {name}=\"{HtmlText.EncodeValue(value)}\"";
    }
}
