using Wexil.App.Serving;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Source;
using Wexil.Store;

namespace Wexil.App.Drafts;

/// <summary>
/// Writes kept versions of sections into the pages that they stand on, and puts the sections back. Visitors see the
/// same before and after, so no test begins a phase.
/// </summary>
public sealed class SectionWriter(FunnelStore funnels, PageStore pages, DraftStore drafts, TestStore tests)
{
    /// <summary>The pages whose visitors get a section by its mark; of outside pages nothing is known.</summary>
    public IReadOnlyList<Page> PagesWith(Step section) =>
        [.. HostedPages(section).Where(page => Has(pages.Source(page), section.Slug))];

    /// <summary>The pages that have lost a section since their version before.</summary>
    public IReadOnlyList<Page> PagesWithout(Step section) =>
        [
            .. HostedPages(section)
                .Where(page =>
                    page.Revision > 1
                    && !Has(pages.Source(page), section.Slug)
                    && Has(pages.Source(page, page.Revision - 1), section.Slug)
                ),
        ];

    /// <summary>Publishes the pages with what the sections show to everyone written in.</summary>
    /// <param name="written">Sections of one step; decided, all of them.</param>
    /// <returns>The pages published.</returns>
    public async Task<IReadOnlyList<Page>> WriteInAsync(FunnelId funnel, IReadOnlyCollection<StepId> written)
    {
        var sections = funnels.Sections(funnel).Where(section => written.Contains(section.Id)).ToArray();
        var shown = Shown(sections);
        string? Written(string key, string first) => shown.GetValueOrDefault(key);
        var changed = new List<Page>();
        foreach (var page in HostedPages(sections[0]))
        {
            var published = pages.Source(page);
            var plain = WrittenSections.WriteIn(published, Written);
            var draft = drafts.For(page);
            var names = string.Join(", ", sections.Select(section => $"“{section.Name}”"));
            var label = $"{names} written in";
            if (WrittenSections.WriteIn(draft.Source, Written) is var ahead && ahead != draft.Source)
                await drafts.EditAsync(page, draft, ahead, label);
            if (plain == published)
                continue;
            await BringFilesAsync(page, sections);
            await pages.PublishAsync(page, plain, label, looksTheSame: true);
            changed.Add(page);
        }
        return changed;
    }

    /// <summary>
    /// Puts a section back on the pages that have not been changed since it was written in.
    /// </summary>
    /// <returns>The pages that have been changed since, and stay as they are.</returns>
    public async Task<IReadOnlyList<Page>> PutBackAsync(Step section)
    {
        var shown = Shown(funnels.Sections(section.Funnel));
        var stay = new List<Page>();
        foreach (var page in PagesWithout(section))
        {
            var published = pages.Source(page);
            var before = pages.Source(page, page.Revision - 1);
            string? Written(string key, string first) => Has(published, key) ? null : shown.GetValueOrDefault(key);
            if (page.HasDraft || WrittenSections.WriteIn(before, Written) != published)
            {
                stay.Add(page);
                continue;
            }
            var label = $"“{section.Name}” put back";
            await drafts.EditAsync(page, drafts.For(page), before, label);
            await pages.PublishAsync(page, before, label, looksTheSame: true);
        }
        return stay;
    }

    /// <summary>
    /// Would visitors see just the same if a page’s draft were published? So it is where nothing but sections were
    /// marked that show what stood there, and of which nothing is tested yet.
    /// </summary>
    public bool LooksTheSame(Page page, FunnelId funnel)
    {
        var (before, after) = (SectionedPage.Parse(pages.Source(page)), SectionedPage.Parse(drafts.For(page).Source));
        var sections = funnels.Sections(funnel);
        var marked = before.Places.Select(place => place.Key).ToHashSet();
        marked.SymmetricExceptWith(after.Places.Select(place => place.Key));
        if (
            sections.Any(section =>
                marked.Contains(section.Slug) && tests.ForStep(section.Id) is [{ IsOpen: true }, ..]
            )
        )
            return false;
        var shown = Shown(sections);
        string Version(SectionPlace place, string first) => shown.GetValueOrDefault(place.Key, first);
        return before.Compose(Version) == after.Compose(Version);
    }

    /// <summary>
    /// The files that a version of a section must not take the names of: those of the pages that it may stand in, and
    /// of the other versions there.
    /// </summary>
    public IEnumerable<string> FilesBeside(Page version)
    {
        if (funnels.AllSteps().FirstOrDefault(step => step.Id == version.Step) is not { Host: { } host } section)
            return [];
        var others = funnels.Sections(section.Funnel).Where(other => other.Host == host);
        return pages
            .ForStep(host)
            .Concat(others.SelectMany(other => pages.ForStep(other.Id)))
            .Where(page => page.IsHosted)
            .SelectMany(page => pages.Hashes(page.Id, page.Revision, withDraft: true).Keys);
    }

    // What versions have beside their source, beside the page's own.
    private async Task BringFilesAsync(Page page, IEnumerable<Step> sections)
    {
        foreach (var version in sections.Select(section => pages.Find(section.Page!.Value)!))
        foreach (var path in pages.Hashes(version.Id, version.Revision).Keys.Where(path => path != version.Entry))
        {
            var there = ServedPages.FolderOf(page.Entry!) + path;
            if (!pages.Hashes(page.Id, page.Revision).ContainsKey(there))
                await drafts.AddFileAsync(
                    page.Id,
                    pages.File(version.Id, version.Revision, path)! with
                    {
                        Path = there,
                    }
                );
        }
    }

    private IEnumerable<Page> HostedPages(Step section) =>
        section.Host is { } host ? pages.ForStep(host).Where(page => page.IsHosted) : [];

    private Dictionary<string, string> Shown(IEnumerable<Step> sections) =>
        sections
            .Where(section => section.Page is not null)
            .ToDictionary(section => section.Slug, section => pages.Source(pages.Find(section.Page!.Value)!));

    private static bool Has(string source, string key) => SectionedPage.Parse(source).First(key) is not null;
}
