using System.Text.RegularExpressions;
using AngleSharp.Dom;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Pages.Source;

namespace Wexil.Pages.Serving;

/// <summary>An outside page of another step of the funnel.</summary>
/// <param name="Link">The permanent link of its step.</param>
public sealed record NeighborPage(string Step, string Link, OutsideAddress Address);

/// <summary>
/// Looks where an outside page sends its visitors by itself: past our links, to other hosts, or away before they are
/// counted. Nothing of it is surely wrong, so it only says what happens.
/// </summary>
public static partial class OutsideWays
{
    private const int MaxShown = 60;

    /// <param name="robots">The values of its X-Robots-Tag headers.</param>
    /// <param name="home">The origin of the visitors' side.</param>
    /// <param name="neighbors">The outside pages of the funnel's other steps.</param>
    /// <returns>One finding for each thing that was found; none where there is nothing to say.</returns>
    public static IReadOnlyList<Finding> Check(
        OutsideDocument outside,
        IReadOnlyList<string> robots,
        Uri home,
        IReadOnlyList<NeighborPage> neighbors
    )
    {
        var (document, page) = (outside.Document, outside.Address);
        var at = Base(document, page);
        Finding?[] findings =
        [
            NoIndex(document, robots),
            Link(document, at, page, neighbors),
            Form(document, at, page, home),
            Redirect(document),
        ];
        return [.. findings.OfType<Finding>()];
    }

    private static Uri Base(IDocument document, Uri page) =>
        Uri.TryCreate(page, document.QuerySelector("base[href]")?.GetAttribute("href") ?? "", out var at) ? at : page;

    private static Finding? NoIndex(IDocument document, IReadOnlyList<string> robots)
    {
        var told = document
            .QuerySelectorAll("meta[name][content]")
            .Where(meta => meta.GetAttribute("name")!.Equals("robots", StringComparison.OrdinalIgnoreCase))
            .Select(meta => meta.GetAttribute("content")!);
        return robots.Concat(told).Any(text => NotListed().IsMatch(text))
            ? new(
                "Search engines",
                null,
                "The page asks search engines not to list it (noindex).",
                "That is fine for a page that only ads and e-mails lead to. If people should find it, remove noindex."
            )
            : null;
    }

    private static Finding? Link(IDocument document, Uri at, Uri page, IReadOnlyList<NeighborPage> neighbors)
    {
        foreach (var link in document.QuerySelectorAll("a[href], area[href]"))
        {
            if (!IsWeb(at, link.GetAttribute("href"), out var target) || IsSameHost(target, page))
                continue;
            var key = OutsideAddress.KeyOf(target);
            var neighbor = neighbors.FirstOrDefault(known =>
                known.Address.Key == key && known.Address.IsMetBy(target.Query.TrimStart('?'))
            );
            if (neighbor is not null && !HasToken(target))
                return new(
                    "Links with the token",
                    null,
                    $"{Named(link)} leads directly to {target.Host} without a token, so most browsers do not recognize "
                        + "the visitor there.",
                    $"Link to “{neighbor.Step}” by {neighbor.Link}, which passes the token on."
                );
        }
        return null;
    }

    private static Finding? Form(IDocument document, Uri at, Uri page, Uri home)
    {
        foreach (var form in document.QuerySelectorAll("form[action]"))
        {
            var isSearch =
                form.GetAttribute("role") == "search" || form.QuerySelector("input[type=search]") is not null;
            if (
                isSearch
                || form.QuerySelector("input[data-wexil=token]") is not null
                || !IsWeb(at, form.GetAttribute("action"), out var target)
                || IsSameHost(target, page)
                || IsSameHost(target, home)
            )
                continue;
            return new(
                "Forms",
                null,
                $"A form sends to {target.Host}, where Wexil does not see it.",
                "A conversion counts when the visitor comes to the next step, so let the form lead there. If the "
                    + "answer is on another host, add <input type=\"hidden\" name=\"wx\" data-wexil=\"token\"> to the "
                    + "form and pass it on."
            );
        }
        return null;
    }

    private static Finding? Redirect(IDocument document)
    {
        const string what = "No redirect by script";
        const string mend = "If it runs at once, enter the address that it leads to as this page’s address.";
        if (
            document
                .QuerySelectorAll("meta[http-equiv][content]")
                .FirstOrDefault(meta =>
                    meta.GetAttribute("http-equiv")!.Equals("refresh", StringComparison.OrdinalIgnoreCase)
                    && meta.GetAttribute("content")!.Contains("url", StringComparison.OrdinalIgnoreCase)
                ) is
            { } refresh
        )
            return new(
                what,
                null,
                $"The page leads elsewhere by itself (refresh: {Short(refresh.GetAttribute("content")!)}). "
                    + "A visitor who is taken away before the script has run is not counted here.",
                mend
            );
        var call = document
            .QuerySelectorAll("script:not([src])")
            .Where(script => !StartLines.Are(script) && !SectionLines.Are(script))
            .Select(script => Leads().Match(script.TextContent))
            .FirstOrDefault(match => match.Success);
        return call is null
            ? null
            : new(
                what,
                null,
                $"A script on the page sends visitors elsewhere ({Short(call.Value)}). A visitor who "
                    + "is taken away before the tracking script has run is not counted here.",
                mend
            );
    }

    private static bool IsWeb(Uri at, string? written, out Uri target) =>
        Uri.TryCreate(at, written?.Trim() ?? "", out target!) && target.Scheme is "http" or "https";

    private static bool HasToken(Uri target) => Token().IsMatch(target.Query);

    private static bool IsSameHost(Uri one, Uri other) =>
        one.Host.Equals(other.Host, StringComparison.OrdinalIgnoreCase);

    private static string Short(string code) => HtmlText.Shorten(code, MaxShown);

    private static string Named(IElement link) =>
        HtmlText.Collapse(link.TextContent) is { Length: > 0 } text
            ? $"The link “{HtmlText.Shorten(text, 40)}”"
            : "A link";

    [GeneratedRegex(@"(?:^|[\s,:])(?:noindex|none)(?:[\s,]|$)", RegexOptions.IgnoreCase)]
    private static partial Regex NotListed();

    [GeneratedRegex(@"[?&]wx=.")]
    private static partial Regex Token();

    // What only reads the address, or compares it, leads nowhere.
    [GeneratedRegex(
        @"\blocation\s*(?:\.\s*(?:replace|assign)\s*\(|(?:\.\s*href\s*)?=[^=;\r\n])[^;\r\n)]{0,60}\)?",
        RegexOptions.NonBacktracking
    )]
    private static partial Regex Leads();
}
