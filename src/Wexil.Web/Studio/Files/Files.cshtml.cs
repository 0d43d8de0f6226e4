using Microsoft.AspNetCore.Mvc;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;
using Page = Wexil.Core.Pages.Page;

namespace Wexil.Web.Studio.Files;

/// <summary>A file in the list: what it is, how large, where it is used.</summary>
public sealed record FileLine(
    Asset Asset,
    string Name,
    string? Picture,
    IReadOnlyList<(Page Page, AssetUse Use)> Uses,
    bool IsUnused
);

/// <summary>The files of a funnel's pages, each stored once however many pages have it.</summary>
public sealed class FilesModel(FunnelStore funnels, AssetStore assets, Build.PageContext context)
    : FunnelPageModel(funnels)
{
    public IReadOnlyList<FileLine> Lines { get; private set; } = [];

    public void OnGet() => Lines = ReadLines();

    /// <summary>Clears files that no page uses.</summary>
    [Logged("Deleted unused files")]
    public async Task<IActionResult> OnPostClearAsync()
    {
        var unused = ReadLines()
            .Where(line => line.IsUnused)
            .SelectMany(line => line.Uses)
            .Where(use => use.Use.State == AssetState.Draft)
            .Select(use => (use.Page.Id, use.Use.Path))
            .ToArray();
        var (files, bytes) = await assets.ClearAsync(unused);
        Done =
            files == 0
                ? "There was nothing to delete."
                : $"{Format.Count(files, "file", "files")} deleted, {Format.Count(bytes / 1024)} KB.";
        return RedirectToPage();
    }

    private List<FileLine> ReadLines()
    {
        var pages = context.Pages.All().ToDictionary(page => page.Id);
        var drafts = new Dictionary<PageId, string>();
        string Draft(Page page) =>
            drafts.TryGetValue(page.Id, out var source) ? source : drafts[page.Id] = context.Drafts.For(page).Source;
        return
        [
            .. assets
                .ForFunnel(Funnel.Id)
                .Select(asset =>
                {
                    var uses = asset.Uses.Select(use => (Page: pages[use.Page], Use: use)).ToArray();
                    var name = asset.Uses[0].Path;
                    var picture =
                        ContentTypes.ForPath(name)?.StartsWith("image/", StringComparison.Ordinal) == true
                            ? context.Asset(asset.Hash, name)
                            : null;
                    // What was added to a draft and is not in it any more is used by nobody; earlier versions keep what
                    // they have.
                    return new FileLine(
                        asset,
                        name,
                        picture,
                        uses,
                        uses.All(use =>
                            use.Use.State == AssetState.Draft
                            && !Draft(use.Page).Contains(use.Use.Path, StringComparison.Ordinal)
                        )
                    );
                }),
        ];
    }
}
