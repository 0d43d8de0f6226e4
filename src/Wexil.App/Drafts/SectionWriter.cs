using System.Text;
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

    /// <summary>Puts a section back on the pages that have not been changed since it was written in.</summary>
    /// <returns>The pages that have been changed since, and stay as they are.</returns>
    public async Task<IReadOnlyList<Page>> PutBackAsync(Step section)
    {
        var (back, changed) = ToPutBack(section);
        return [.. changed, .. await pages.RepublishAsync(back)];
    }

    /// <summary>Reads what putting a section back publishes, and which pages have changed since.</summary>
    public (IReadOnlyList<Republished> Back, IReadOnlyList<Page> Changed) ToPutBack(Step section)
    {
        var shown = Shown(funnels.Sections(section.Funnel));
        var (back, changed) = (new List<Republished>(), new List<Page>());
        foreach (var page in PagesWithout(section))
        {
            var published = pages.Source(page);
            var before = pages.Source(page, page.Revision - 1);
            string? Written(string key, string first) => Has(published, key) ? null : shown.GetValueOrDefault(key);
            if (WrittenSections.WriteIn(before, Written) != published)
                changed.Add(page);
            else
                back.Add(new(page, before, $"“{section.Name}” put back"));
        }
        return (back, changed);
    }

    /// <summary>
    /// Writes what a funnel's sections show into a page's source, for a copy that has none of them.
    /// </summary>
    public Func<string, string> Plain(FunnelId funnel)
    {
        var sections = funnels.Sections(funnel);
        var shown = Shown(sections);
        foreach (var section in sections.Where(section => section.Page is not null))
        {
            foreach (var file in pages.Hashes(section.Page!.Value, pages.Find(section.Page.Value)!.Revision))
                if (ServedPages.Address(file.Key, file.Value) is { } address)
                    shown[section.Slug] = shown[section.Slug].Replace(file.Key, address, StringComparison.Ordinal);
        }
        return source => WrittenSections.WriteIn(source, (key, _) => shown.GetValueOrDefault(key));
    }

    /// <summary>The files of a published page as visitors see it, with those of the versions in it.</summary>
    public IReadOnlyList<PageFile> Files(Page page, FunnelId funnel)
    {
        var sections = funnels.Sections(funnel).Where(section => section.Page is not null).ToArray();
        var shown = Shown(sections);
        var source = WrittenSections.WriteIn(pages.Source(page), (key, _) => shown.GetValueOrDefault(key));
        var has = SectionedPage.Parse(pages.Source(page)).Places.Select(place => place.Key).ToHashSet();
        var files = new Dictionary<string, PageFile>(StringComparer.Ordinal);
        foreach (var path in pages.Hashes(page.Id, page.Revision).Keys)
            files[path] = pages.File(page.Id, page.Revision, path)!;
        files[page.Entry!] = new(page.Entry!, Encoding.UTF8.GetBytes(source));
        foreach (var file in sections.Where(section => has.Contains(section.Slug)).SelectMany(OwnFiles))
        {
            var there = ServedPages.FolderOf(page.Entry!) + file.Path;
            files.TryAdd(there, file with { Path = there });
        }
        return [.. files.Values.OrderBy(file => file.Path, StringComparer.Ordinal)];
    }

    // What the version shown has beside its source.
    private IEnumerable<PageFile> OwnFiles(Step section)
    {
        var version = pages.Find(section.Page!.Value)!;
        return pages
            .Hashes(version.Id, version.Revision)
            .Keys.Where(path => path != version.Entry)
            .Select(path => pages.File(version.Id, version.Revision, path)!);
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

    private async Task BringFilesAsync(Page page, IEnumerable<Step> sections)
    {
        var has = pages.Hashes(page.Id, page.Revision);
        foreach (var file in sections.SelectMany(OwnFiles))
            if (ServedPages.FolderOf(page.Entry!) + file.Path is var there && !has.ContainsKey(there))
                await drafts.AddFileAsync(page.Id, file with { Path = there });
    }

    private IEnumerable<Page> HostedPages(Step section) =>
        section.Host is { } host ? pages.ForStep(host).Where(page => page.IsHosted) : [];

    private Dictionary<string, string> Shown(IEnumerable<Step> sections) =>
        sections
            .Where(section => section.Page is not null)
            .ToDictionary(section => section.Slug, section => pages.Source(pages.Find(section.Page!.Value)!));

    private static bool Has(string source, string key) => SectionedPage.Parse(source).First(key) is not null;
}
