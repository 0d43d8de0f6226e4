using Wexil.App.Wording;
using Wexil.Store;

namespace Wexil.Web.Studio.Shared;

/// <summary>A page that somebody chooses by its name; a list would be thousands long.</summary>
public static class PageChoice
{
    /// <summary>The one page that is meant by what was typed, or what is wrong with it.</summary>
    /// <param name="offered">The pages whose words contain it.</param>
    public static (NamedPage? Page, string Problem) Choose(string typed, IReadOnlyList<NamedPage> offered)
    {
        NamedPage[] exact =
        [
            .. offered.Where(page => page.Words.Equals(typed.Trim(), StringComparison.OrdinalIgnoreCase)),
        ];
        return (exact, offered) switch
        {
            ([var meant], _) => (meant, ""),
            ({ Length: > 1 }, _) => (
                null,
                $"{Format.Count(exact.Length)} pages are called exactly that. Rename one of them, then choose it here."
            ),
            (_, [var only]) => (only, ""),
            (_, []) => (null, "No page is called that. Type a part of its name, its step or its funnel."),
            _ => (
                null,
                $"{(offered.Count < NamedPages.MaxOffered ? Format.Count(offered.Count) : "Many")} pages match, "
                    + $"{Format.Quoted(offered[0].Words)} among them. Choose one of the suggestions, or type more."
            ),
        };
    }

    /// <summary>What is suggested while somebody types.</summary>
    public static void Map(WebApplication app)
    {
        app.MapGet("/named-pages", (string? q, NamedPages pages) => Words(pages.Pages(Bounded(q))))
            .RequireAuthorization();
        app.MapGet("/named-pages/of-tests", (string? q, NamedPages pages) => Words(pages.OfTests(Bounded(q))))
            .RequireAuthorization();
    }

    private static IEnumerable<string> Words(IReadOnlyList<NamedPage> pages) =>
        pages.Select(page => page.Words).Distinct();

    private static string Bounded(string? typed) => typed is { Length: > 200 } ? typed[..200] : typed ?? "";
}
