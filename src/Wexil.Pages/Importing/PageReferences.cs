using System.Collections.Frozen;
using System.Text.RegularExpressions;
using AngleSharp.Dom;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;

namespace Wexil.Pages.Importing;

/// <summary>
/// Finds what a page that lives elsewhere needs to look as it does there, and rewrites the page so that it finds it
/// here. What is not brought along, and everything that is a link, leads to where it led before. Our own lines for
/// starting a test there are left out.
/// </summary>
public static partial class PageReferences
{
    /// <summary>Where elements name a file that a page is shown with, by element and attribute.</summary>
    private static readonly FrozenSet<(string, string)> Fetched = new[]
    {
        ("img", "src"),
        ("source", "src"),
        ("script", "src"),
        ("video", "src"),
        ("audio", "src"),
        ("track", "src"),
        ("embed", "src"),
        ("input", "src"),
        ("video", "poster"),
        ("object", "data"),
        ("body", "background"),
        ("table", "background"),
        ("td", "background"),
        ("th", "background"),
        ("use", "href"),
        ("use", "xlink:href"),
        ("image", "href"),
        ("image", "xlink:href"),
    }.ToFrozenSet();

    /// <summary>Where elements name an address that is gone to.</summary>
    private static readonly FrozenSet<(string, string)> Followed = new[]
    {
        ("a", "href"),
        ("area", "href"),
        ("form", "action"),
        ("iframe", "src"),
        ("frame", "src"),
        ("button", "formaction"),
        ("input", "formaction"),
    }.ToFrozenSet();

    private static readonly HashSet<string> FetchedRelations =
    [
        "stylesheet",
        "icon",
        "shortcut",
        "apple-touch-icon",
        "preload",
        "modulepreload",
        "manifest",
        "mask-icon",
    ];

    /// <summary>Every file that the page needs, by its address, each once.</summary>
    /// <param name="page">Where the page was fetched from.</param>
    public static IReadOnlyList<Uri> Find(string html, Uri page)
    {
        var found = new List<Uri>();
        Walk(html, page, address =>
        {
            found.Add(address);
            return null;
        });
        return [.. found.Distinct()];
    }

    /// <summary>The page with each file's new address in the old one's place.</summary>
    /// <param name="local">The address of a file here, relative to the page; null for one that could not be
    /// had.</param>
    public static string Rewrite(string html, Uri page, Func<Uri, string?> local) => Walk(html, page, local);

    /// <summary>The files that a style sheet needs.</summary>
    public static IReadOnlyList<Uri> FindInStyles(string css, Uri sheet)
    {
        var found = new List<Uri>();
        Styles(css, sheet, address =>
        {
            found.Add(address);
            return null;
        });
        return [.. found.Distinct()];
    }

    /// <summary>A style sheet that names local files in place of what they were brought in from.</summary>
    /// <param name="sheet">The address that the sheet was found at.</param>
    /// <param name="local">The path of the file that stands for an address; null leaves the address as it is.</param>
    public static string RewriteStyles(string css, Uri sheet, Func<Uri, string?> local) => Styles(css, sheet, local);

    private static string Walk(string html, Uri page, Func<Uri, string?> local)
    {
        var map = SourceMap.Parse(html);
        var edits = new SourceEdits(html);
        var at = page;
        if (map.Document.QuerySelector("base[href]") is { } written && map.Find(written) is { } baseElement)
        {
            if (
                Uri.TryCreate(page, written.GetAttribute("href")!.Trim(), out var based)
                && based.Scheme is "http" or "https"
            )
                at = based;
            edits.Replace(baseElement.Start, baseElement.End, "");
        }
        foreach (var node in map.Elements)
        {
            if (node.Element.LocalName == "base")
                continue;
            if (StartLines.Are(node.Element))
            {
                // The lines by which a test begins on that page would begin it on every clone too.
                edits.Replace(node.Start, node.End, "");
                continue;
            }
            foreach (var attribute in node.Tag.Attributes)
                Attribute(html, edits, node, attribute, at, local);
            if (node.Name == "style")
                Replace(edits, html, node.OpenEnd, node.CloseStart, css => Styles(css, at, local));
        }
        return edits.Apply();
    }

    private static void Attribute(
        string html,
        SourceEdits edits,
        SourceElement node,
        SourceAttribute attribute,
        Uri at,
        Func<Uri, string?> local
    )
    {
        if (attribute.ValueEnd <= attribute.ValueStart)
            return;
        var name = attribute.Name.ToLowerInvariant();
        Func<string, string>? change = (node.Name, name) switch
        {
            (_, "style") => value => Styles(value, at, local),
            ("img" or "source", "srcset") or ("link", "imagesrcset") => value => Set(value, at, local),
            ("link", "href") => IsFetched(node.Element)
                ? value => One(value, at, local)
                : value => One(value, at, Nothing),
            var place when Fetched.Contains(place) => value => One(value, at, local),
            var place when Followed.Contains(place) => value => One(value, at, Nothing),
            _ => null,
        };
        if (change is not null)
            Replace(edits, html, attribute.ValueStart, attribute.ValueEnd, change);
    }

    private static string? Nothing(Uri address) => null;

    private static bool IsFetched(IElement link) =>
        (link.GetAttribute("rel") ?? "")
            .Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries)
            .Any(relation => FetchedRelations.Contains(relation.ToLowerInvariant()));

    private static void Replace(SourceEdits edits, string html, int start, int end, Func<string, string> change)
    {
        var value = html[start..end];
        var changed = change(value);
        if (changed != value)
            edits.Replace(start, end, changed);
    }

    private static string One(string reference, Uri at, Func<Uri, string?> local)
    {
        var decoded = HtmlText.Decode(reference).Trim();
        if (
            decoded.Length == 0
            || decoded[0] == '#'
            || !Uri.TryCreate(at, decoded, out var address)
            || address.Scheme is not ("http" or "https")
        )
            return reference;
        var file = new UriBuilder(address) { Fragment = "" }.Uri;
        return HtmlText.EncodeValue(local(file) is { } found ? found + address.Fragment : address.AbsoluteUri);
    }

    private static string Set(string set, Uri at, Func<Uri, string?> local) =>
        SetCandidate().Replace(set, match => match.Groups[1].Value + One(match.Groups[2].Value, at, local));

    private static string Styles(string css, Uri at, Func<Uri, string?> local)
    {
        // No page needs as many files; what a sheet names beyond that stays as it is.
        const int most = 10_000;
        var count = 0;
        return StyleUrl()
            .Replace(css, match =>
            {
                if (++count > most)
                    return match.Value;
                var reference = match.Groups["a"] is { Success: true } url ? url : match.Groups["b"];
                var value = reference.Value.Trim();
                if (
                    value.Length == 0
                    || value[0] == '#'
                    || !Uri.TryCreate(at, HtmlText.Decode(value), out var address)
                    || address.Scheme is not ("http" or "https")
                )
                    return match.Value;
                var file = new UriBuilder(address) { Fragment = "" }.Uri;
                var replaced = local(file) is { } found ? found + address.Fragment : address.AbsoluteUri;
                return match.Value[..(reference.Index - match.Index)]
                    + replaced
                    + match.Value[(reference.Index - match.Index + reference.Length)..];
            });
    }

    [GeneratedRegex(@"((?:^|,)\s*)(?!data:)([^\s,]+)")]
    private static partial Regex SetCandidate();

    [GeneratedRegex(
        // Each part begins where the one before must have ended, so that no text takes longer than its length.
        @"url\((?>\s*)(?:&quot;|[""'])?(?<a>[^""'()&]+(?:&amp;[^""'()&]+)*)(?:&quot;|[""'])?\s*\)"
            + @"|@import\s+[""'](?<b>[^""']+)[""']",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex StyleUrl();
}
