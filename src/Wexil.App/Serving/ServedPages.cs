using Wexil.Core.Assignments;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;

namespace Wexil.App.Serving;

/// <summary>
/// How hosted pages are made ready: the same for visitors, for previews, and for what the editor puts into the page
/// that it shows.
/// </summary>
public sealed class ServedPages(VisitorsAddress visitors)
{
    /// <summary>The address of the page by itself.</summary>
    public static string Folder(RoutePage page) => $"/p/{page.Slug}/";

    /// <param name="entry">The file of the page itself.</param>
    /// <param name="hashes">The page's files by path, with the hash of what each holds.</param>
    public PageServing Serving(RoutePage page, string entry, IReadOnlyDictionary<string, string> hashes) =>
        new(
            entry,
            Folder(page),
            new(page.Slug, page.Link, visitors.Origin, page.Tills),
            path => Asset(hashes, path),
            Has: hashes.ContainsKey
        );

    private static string? Asset(IReadOnlyDictionary<string, string> hashes, string path) =>
        hashes.TryGetValue(path, out var hash) && ContentTypes.IsFinal(path)
            ? $"/a/{hash}/{Uri.EscapeDataString(Path.GetFileName(path))}"
            : null;
}
