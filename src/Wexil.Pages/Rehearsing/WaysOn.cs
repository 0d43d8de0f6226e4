using AngleSharp.Html.Dom;
using Wexil.Pages.Source;

namespace Wexil.Pages.Rehearsing;

/// <summary>Where a visitor can go from a page as it was served.</summary>
/// <param name="Title">Empty where the page has none.</param>
/// <param name="Form">The first form that asks for an e-mail address, filled in; null for none.</param>
/// <param name="Buy">Its first buy button.</param>
/// <param name="No">Its first no.</param>
/// <param name="Next">The first link to a step.</param>
/// <param name="HasScript">The tracking script is on it.</param>
public sealed record WaysOn(string Title, PageForm? Form, Uri? Buy, Uri? No, Uri? Next, bool HasScript)
{
    /// <summary>Reads a page.</summary>
    /// <param name="page">Where it was found.</param>
    /// <param name="visitors">The host that visitors come to.</param>
    /// <param name="email">The address that is filled into its form.</param>
    public static WaysOn Find(string html, Uri page, Uri visitors, string email)
    {
        using var document = BoundedParser.Document(html);
        var origin = visitors.GetLeftPart(UriPartial.Authority);
        var links = document
            .QuerySelectorAll("a[href], area[href]")
            .Select(link => Uri.TryCreate(page, link.GetAttribute("href"), out var target) ? target : null)
            .OfType<Uri>()
            .Where(target => target.GetLeftPart(UriPartial.Authority) == origin)
            // A link to a place on the page itself leads nowhere: a mark, or a button that has no address yet.
            .Where(target => target.AbsolutePath != page.AbsolutePath)
            .ToArray();
        Uri? First(string path) =>
            Array.Find(links, link => link.AbsolutePath.StartsWith(path, StringComparison.Ordinal));
        return new(
            document.Title?.Trim() ?? "",
            document.Forms.Select(form => PageForm.Fill(form, page, email)).FirstOrDefault(form => form is not null),
            First("/buy/"),
            First("/no/"),
            First("/go/"),
            document.Scripts.Any(script => IsTracking(script, page, origin))
        );
    }

    private static bool IsTracking(IHtmlScriptElement script, Uri page, string origin) =>
        Uri.TryCreate(page, script.GetAttribute("src"), out var source)
        && source.GetLeftPart(UriPartial.Authority) == origin
        && source.AbsolutePath == "/wexil.js";
}
