namespace Wexil.Pages.Source;

/// <summary>Changes where a page's links and forms lead, and nothing else of it.</summary>
public static class PageLinks
{
    /// <param name="change">The new address for one as it is written in the page; null leaves it.</param>
    public static string Relink(string html, Func<string, string?> change)
    {
        var map = SourceMap.Parse(html);
        var edits = new SourceEdits(html);
        foreach (var node in map.Elements)
        {
            var name =
                node.Name is "a" or "area" ? "href"
                : node.Name == "form" ? "action"
                : null;
            if (
                name is not null
                && node.Element.GetAttribute(name) is { } address
                && change(address) is { } changed
                && changed != address
            )
                Attributes.Set(edits, html, node.Tag, name, changed);
        }
        return edits.Apply();
    }

    /// <summary>
    /// Steps' links that have got another name: "/go/kit" becomes "/go/kit-2", with whatever stands behind it.
    /// </summary>
    public static string Rename(string html, IReadOnlyDictionary<string, string> slugs)
    {
        if (slugs.Count == 0 || !html.Contains("/go/", StringComparison.Ordinal))
            return html;
        return Relink(html, address =>
        {
            const string go = "/go/";
            var start = address.IndexOf(go, StringComparison.Ordinal);
            if (start < 0)
                return null;
            var slug = address[(start + go.Length)..].Split('?', '#', '/')[0];
            return slugs.TryGetValue(slug, out var renamed)
                ? string.Concat(address.AsSpan(0, start), go, renamed, address.AsSpan(start + go.Length + slug.Length))
                : null;
        });
    }
}
