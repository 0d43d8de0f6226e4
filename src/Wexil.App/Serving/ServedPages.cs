using Wexil.Core.Assignments;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Store;

namespace Wexil.App.Serving;

/// <summary>
/// How hosted pages are made ready: the same for visitors, for previews, and for what the editor puts into the page
/// that it shows.
/// </summary>
public sealed class ServedPages(VisitorsAddress visitors, PageStore pages)
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

    /// <summary>The same for the page around a version of a section, and what the version adds to its files.</summary>
    public PageServing Serving(SectionHost host, IReadOnlyDictionary<string, string> own)
    {
        var around = pages.Hashes(host.Page.Id, host.Page.Revision, withDraft: true);
        return Serving(host.Route, host.Page.Entry!, Beside(host.Page.Entry!, around, [own]));
    }

    /// <summary>The files of a page with those of versions that stand in it.</summary>
    /// <param name="entry">The page's own file: what versions name lies beside it.</param>
    public static IReadOnlyDictionary<string, string> Beside(
        string entry,
        IReadOnlyDictionary<string, string> hashes,
        IEnumerable<IReadOnlyDictionary<string, string>> versions
    )
    {
        var all = new Dictionary<string, string>(hashes, StringComparer.Ordinal);
        foreach (var (path, hash) in versions.SelectMany(own => own))
            all.TryAdd(FolderOf(entry) + path, hash);
        return all;
    }

    /// <summary>The folder that a file lies in, with its slash; empty for that of the page.</summary>
    public static string FolderOf(string path) => path[..(path.LastIndexOf('/') + 1)];

    private static string? Asset(IReadOnlyDictionary<string, string> hashes, string path) =>
        hashes.TryGetValue(path, out var hash) ? Address(path, hash) : null;

    /// <summary>The address by content of a file; null for one that is served in its folder.</summary>
    public static string? Address(string path, string hash) =>
        ContentTypes.IsFinal(path) ? $"/a/{hash}/{Uri.EscapeDataString(Path.GetFileName(path))}" : null;
}
