using AngleSharp.Dom;
using Wexil.Pages.Source;

namespace Wexil.Pages.Serving;

/// <summary>An outside page as it was fetched, taken apart once for all that is looked at in it.</summary>
public sealed class OutsideDocument
{
    /// <param name="html">The page's source.</param>
    /// <param name="address">Its address after redirects.</param>
    /// <param name="policies">The values of its Content-Security-Policy headers.</param>
    public OutsideDocument(string html, Uri address, IReadOnlyList<string> policies)
    {
        (Html, Address) = (html, address);
        Document = SourceMap.Parse(html).Document;
        Policy = new(address, [.. policies, .. Stated()]);
    }

    /// <summary>Its address after redirects.</summary>
    public Uri Address { get; }

    internal string Html { get; }

    internal IDocument Document { get; }

    /// <summary>What the page lets scripts do, by its headers and by itself.</summary>
    internal ContentPolicy Policy { get; }

    private IEnumerable<string> Stated() =>
        Document
            .QuerySelectorAll("meta[http-equiv]")
            .Where(meta =>
                meta.GetAttribute("http-equiv")!.Equals("content-security-policy", StringComparison.OrdinalIgnoreCase)
            )
            .Select(meta => meta.GetAttribute("content") ?? "");
}
