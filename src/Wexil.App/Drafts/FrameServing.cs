using Wexil.App.Serving;
using Wexil.App.Visits;
using Wexil.Core.Pages;
using Wexil.Pages.Editing;
using Wexil.Pages.Serving;
using Wexil.Store;

namespace Wexil.App.Drafts;

/// <summary>How the editor's frame shows a page: by itself, or a version of a section in the page around it.</summary>
public sealed class FrameServing(PageStore pages, Routes routes, ServedPages served, SectionHosts hosts)
{
    /// <summary>Leads the frame of a page along.</summary>
    public FramePatches For(Page page)
    {
        var hashes = pages.Hashes(page.Id, page.Revision, withDraft: true);
        var host = hosts.Find(routes.Current, page);
        var serving = host is null
            ? served.Serving(routes.Current.PageOrVersion(page.Slug)!, page.Entry!, hashes)
            : served.Serving(host, hashes);
        return new(host, serving with { View = PageView.Editor });
    }
}

/// <summary>Works out how one frame gets from one source to the next.</summary>
/// <param name="host">The page around a version of a section; null for a page by itself.</param>
public sealed class FramePatches(SectionHost? host, PageServing serving)
{
    /// <summary>The page as it is, for a frame that cannot be led there in steps.</summary>
    public EditorPatch Whole(ParsedPage page) =>
        host is null ? EditorPatch.Whole(page, serving) : EditorPatch.Body(host.Prepare(page.Source, serving));

    /// <summary>What changes from one source to another.</summary>
    /// <inheritdoc cref="EditorPatch.Between"/>
    public EditorPatch Between(ParsedPage before, ParsedPage after, TextChange? known)
    {
        var patch = EditorPatch.Between(before, after, serving, known);
        var isInPart = patch.Parent is not null || patch.Kind is EditorPatchKind.Nothing or EditorPatchKind.Tag;
        // What has no parent in the version has one in the page around it, which the version knows nothing of.
        return host is null || isInPart ? patch : Whole(after);
    }
}
