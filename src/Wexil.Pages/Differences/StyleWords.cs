using Wexil.Pages.Source;

namespace Wexil.Pages.Differences;

/// <summary>Changes of style in words.</summary>
internal static class StyleWords
{
    private const int MaxRules = 6;

    public static string For(string property, string tag) =>
        property switch
        {
            "background-color" or "background" => tag is "button" or "a" or "input" ? "color" : "background",
            "color" => "text color",
            "font-size" => "size",
            "text-align" => "alignment",
            "text-wrap" => "line breaks",
            "display" => "visibility",
            "border-radius" => "corners",
            "padding" => "padding",
            "margin" => "margin",
            "width" or "max-width" => "width",
            _ => property,
        };

    /// <summary>What differs between two style elements, by rule; one entry when it is too much to name.</summary>
    public static IEnumerable<PageChange> Between(Part was, Part now)
    {
        var (before, after) = (Rules(was.Text), Rules(now.Text));
        var found = new List<PageChange>();
        foreach (var selector in before.Keys.Concat(after.Keys).Distinct())
        {
            var (b, a) = (before.GetValueOrDefault(selector, []), after.GetValueOrDefault(selector, []));
            foreach (var name in b.Keys.Concat(a.Keys).Distinct())
            {
                var (x, y) = (b.GetValueOrDefault(name), a.GetValueOrDefault(name));
                if (x != y)
                    found.Add(
                        new(ChangeKind.Style, Place(now, selector), was, now)
                        {
                            What = For(name, Tag(now, selector)),
                            Before = x,
                            After = y,
                            Names = [],
                        }
                    );
            }
        }
        return found.Count is > 0 and <= MaxRules
            ? found
            : [new(ChangeKind.Code, "Styles", was, now) { What = found.Count == 0 ? "" : $"{found.Count} properties" }];
    }

    private static Dictionary<string, Dictionary<string, string>> Rules(string css)
    {
        var rules = new Dictionary<string, Dictionary<string, string>>(StringComparer.Ordinal);
        Read(Uncommented(css), "");
        return rules;

        void Read(string text, string within)
        {
            var i = 0;
            while (i < text.Length)
            {
                var open = text.IndexOf('{', i);
                if (open < 0)
                    break;
                var depth = 1;
                var end = open + 1;
                for (; end < text.Length && depth > 0; end++)
                    depth +=
                        text[end] == '{' ? 1
                        : text[end] == '}' ? -1
                        : 0;
                var head = within + HtmlText.Collapse(text[i..open].Split(';')[^1]);
                var body = text[(open + 1)..Math.Max(open + 1, end - 1)];
                if (body.Contains('{', StringComparison.Ordinal))
                    Read(body, head + " ");
                else
                {
                    if (!rules.TryGetValue(head, out var rule))
                        rules[head] = rule = new(StringComparer.Ordinal);
                    foreach (var (name, value) in InlineStyle.Parse(body))
                        rule[name] = value;
                }
                i = end;
            }
        }
    }

    private static string Uncommented(string css)
    {
        for (
            var start = css.IndexOf("/*", StringComparison.Ordinal);
            start >= 0;
            start = css.IndexOf("/*", start, StringComparison.Ordinal)
        )
        {
            var end = css.IndexOf("*/", start + 2, StringComparison.Ordinal);
            css = css[..start] + (end < 0 ? "" : css[(end + 2)..]);
        }
        return css;
    }

    /// <summary>A rule for one part of the page is that part's style.</summary>
    private static string Place(Part style, string selector) =>
        Only(style, selector) is { } only ? PlaceName.For(only) : $"Style of “{HtmlText.Shorten(selector, 40)}”";

    private static string Tag(Part style, string selector) => Only(style, selector)?.Tag ?? "";

    private static Part? Only(Part style, string selector)
    {
        if (selector.StartsWith('@'))
            return null;
        try
        {
            var chosen = style.Element!.Element.Owner!.QuerySelectorAll(selector);
            if (chosen.Length != 1)
                return null;
            var page = style;
            while (page.Parent is { } parent)
                page = parent;
            return page.All().FirstOrDefault(part => part.Element?.Element == chosen[0]);
        }
        catch (AngleSharp.Dom.DomException)
        {
            return null;
        }
    }
}
