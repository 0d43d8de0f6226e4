using System.Collections.Concurrent;
using System.Globalization;
using System.Runtime.CompilerServices;
using System.Text;
using Microsoft.Extensions.Caching.Memory;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;
using Wexil.Store;

namespace Wexil.App.Serving;

/// <summary>A hosted page ready to be shown.</summary>
/// <param name="OwnAddressOnly">Its scripts build addresses, so it is shown at its own address and not at the step's
/// link.</param>
/// <param name="Canonical">What search engines are told, as the value of a Link header.</param>
public sealed record HostedPage(
    HostedFile File,
    bool OwnAddressOnly,
    IReadOnlyList<string> BuyTargets,
    string Canonical
)
{
    /// <summary>The keys of the sections on it, each once; only on the page as it stands in its source.</summary>
    public IReadOnlyList<string> Keys { get; init; } = [];
}

/// <summary>The sections of a page that have versions.</summary>
/// <param name="Key">The same as long as those versions, and their content, are the same.</param>
public sealed record PageSections(IReadOnlyList<RouteStep> Steps, string Key);

/// <summary>A page's source with its sections.</summary>
/// <param name="Keys">Each section once.</param>
internal sealed record Sectioned(SectionedPage Page, IReadOnlyList<string> Keys);

/// <summary>Keeps hosted pages and their files in memory, a bounded amount of them.</summary>
public sealed class HostedPages(
    PageStore pages,
    AssetStore assets,
    DraftStore drafts,
    ServedPages served,
    SectionHosts hosts,
    VisitorsAddress visitors,
    TroubleLog troubles,
    MemoryShares memory
) : IDisposable
{
    private readonly MemoryCache _cache = new(new MemoryCacheOptions { SizeLimit = memory.Pages });
    private readonly ConditionalWeakTable<RouteTable, ConcurrentDictionary<PageId, PageSections>> _sections = [];

    /// <summary>
    /// A page as visitors get it, made ready where it is not yet; its sections as they are for everyone.
    /// </summary>
    public HostedPage Page(RouteTable routes, RoutePage page)
    {
        var plain = Plain(page);
        if (plain.Keys.Count == 0)
            return plain;
        var sections = Sections(routes, page, plain);
        return Page(page, sections, [.. sections.Steps.Select(section => section.Page)]);
    }

    /// <summary>A page with the versions that somebody who tries it asks for.</summary>
    /// <param name="query">That of the address; see <see cref="ChosenVersions"/>.</param>
    public HostedPage Tried(RouteTable routes, RoutePage page, string query)
    {
        var plain = Plain(page);
        if (plain.Keys.Count == 0)
            return plain;
        var chosen = ChosenVersions.In(routes, query);
        var sections = Sections(routes, page, plain);
        return Page(page, sections, [.. sections.Steps.Select(section => ChosenVersions.Of(section, chosen))]);
    }

    /// <summary>A page as it stands in its source, whatever its sections show.</summary>
    public HostedPage Plain(RoutePage page)
    {
        // Besides its content, a page is made of where its buttons lead.
        var key = (page.Id, page.Revision, page.WiringKey);
        return _cache.TryGetValue(key, out HostedPage? ready)
            ? ready!
            : Keep(key, Prepare(page), prepared => prepared.File.Size);
    }

    /// <summary>The sections on a page that have versions.</summary>
    /// <param name="plain">The page as it stands in its source.</param>
    public PageSections Sections(RouteTable routes, RoutePage page, HostedPage plain)
    {
        // Worked out once a table, which is never changed; nor is a page while the table stands.
        var known = _sections.GetOrCreateValue(routes);
        if (known.TryGetValue(page.Id, out var sections))
            return sections;
        // A page cloned into another funnel has nothing to do with the tests of this one.
        var funnel = routes.Step(page.Step)?.Funnel;
        RouteStep[] steps =
        [
            .. plain.Keys.Select(routes.Section).OfType<RouteStep>().Where(section => section.Funnel == funnel),
        ];
        return known[page.Id] = new(steps, string.Join(',', steps.Select(section => section.VersionsKey)));
    }

    /// <summary>A page with the versions of its sections that a visitor is shown.</summary>
    /// <param name="shown">One for each of the sections; null for what stands in the page.</param>
    public HostedPage Page(RoutePage page, PageSections sections, IReadOnlyList<RoutePage?> shown)
    {
        var versions = string.Join(',', shown.Select(version => version?.Id.Value));
        var key = (page.Id, page.Revision, page.WiringKey, sections.Key, versions);
        return _cache.TryGetValue(key, out HostedPage? composed)
            ? composed!
            : Keep(
                key,
                sections.Steps.Zip(shown).All(pair => IsServed(pair.First, pair.Second))
                    ? Compose(page, sections, shown)
                    : ComposeWhole(page, sections, shown),
                prepared => prepared.File.Size
            );
    }

    private static bool IsServed(RouteStep section, RoutePage? version) =>
        version is null || section.Candidates.Contains(version);

    /// <summary>Makes the pages ready that visitors are sent to, so that none of them waits for it.</summary>
    public void Warm(RouteTable routes) =>
        _ = Task.Run(() =>
        {
            try
            {
                foreach (var page in routes.Shown.Where(page => page.Outside is null))
                    Page(routes, page);
            }
            catch (ObjectDisposedException)
            {
                // The program ends.
            }
            catch (Exception error)
            {
                // Whatever it is: who asks for a page makes it ready then.
                troubles.Say("Pages could not be made ready ahead", error);
            }
        });

    /// <summary>A file of the page's folder; null when there is none of that name.</summary>
    public HostedFile? File(RoutePage page, string path)
    {
        var key = (page.Id, page.Revision, path);
        if (_cache.TryGetValue(key, out HostedFile? ready))
            return ready;
        if (pages.File(page.Id, page.Revision, path) is not { } file)
            return null;
        return Keep(
            key,
            HostedFile.Prepared(
                file.ContentType == ContentTypes.Css ? Rooted(page, file.Content) : file.Content,
                file.ContentType
            ),
            kept => kept.Size
        );
    }

    /// <summary>
    /// A file by the hash of its content, under a name that says its type; null when there is none, or pages are asked
    /// for in this way.
    /// </summary>
    public HostedFile? Asset(string hash, string name)
    {
        if (
            hash.Length != 64
            || !hash.All(char.IsAsciiHexDigitLower)
            || ContentTypes.ForPath(name) is not { } type
            || ContentTypes.IsHtml(name)
        )
            return null;
        var key = (hash, type);
        if (_cache.TryGetValue(key, out HostedFile? ready))
            return ready;
        return assets.Content(hash) is { } content
            ? Keep(key, HostedFile.Prepared(content, type), kept => kept.Size)
            : null;
    }

    /// <summary>
    /// A draft or an earlier version, as its owner sees it; a version of a section stands in the page that it is for.
    /// </summary>
    /// <param name="version">The version's number; null for the draft.</param>
    /// <param name="ahead">What is put in front of the page, given the revision of the draft.</param>
    public byte[] Preview(RouteTable routes, RoutePage route, int? version, PageView view, Func<long, string>? ahead)
    {
        var page = pages.Find(route.Id)!;
        var host = hosts.Find(routes, page);
        var hashes = pages.Hashes(page.Id, version ?? page.Revision, withDraft: version is null);
        byte[] Prepare()
        {
            var draft = version is null ? drafts.For(page) : null;
            var source = draft?.Source ?? pages.Source(page, version!.Value);
            var serving = host is { } around
                ? served.Serving(around, hashes)
                : served.Serving(route, page.Entry!, hashes);
            serving = serving with { View = view, Ahead = ahead?.Invoke(draft?.Revision ?? 0) ?? "" };
            var html = host is null ? HostedHtml.Prepare(source, serving).Html : host.Prepare(source, serving);
            return Encoding.UTF8.GetBytes(html);
        }
        // What is put ahead is another each time.
        if (ahead is not null)
            return Prepare();
        var key = (
            page.Id,
            version is null ? drafts.Hash(page) : hashes[page.Entry!],
            string.Join('\n', [route.WiringKey, host?.Hash ?? "", .. hashes.Values])
        );
        return _cache.TryGetValue(key, out byte[]? ready) ? ready! : Keep(key, Prepare(), prepared => prepared.Length);
    }

    /// <inheritdoc/>
    public void Dispose() => _cache.Dispose();

    private HostedPage Prepare(RoutePage route)
    {
        try
        {
            return PrepareSectioned(route);
        }
        catch (PageTooComplexException error)
        {
            // Let in before there was a bound: visitors get it as it is written, without our lines.
            troubles.Say($"The page {route.Slug} is shown without counting or links of ours", error);
            var source = pages.Source(pages.Find(route.Id)!, route.Revision);
            return new(
                HostedFile.Prepared(Encoding.UTF8.GetBytes(source), ContentTypes.Html),
                OwnAddressOnly: true,
                [],
                Canonical(route)
            );
        }
    }

    private HostedPage PrepareSectioned(RoutePage route)
    {
        var ready = HostedHtml.Prepare(Sectioned(route).Page.Source, ServingOf(route));
        return new(
            HostedFile.Prepared(Encoding.UTF8.GetBytes(ready.Html), ContentTypes.Html),
            BuildsAddresses(route, [ready.Html]),
            ready.BuyTargets,
            Canonical(route)
        )
        {
            Keys = Sectioned(route).Keys,
        };
    }

    /// <summary>A page's sections made ready.</summary>
    /// <param name="OwnAddressOnly">A script of the page, or of any version, builds addresses: the page has one address
    /// whatever a visitor sees of it.</param>
    private sealed record Composable(ReadySections Sections, bool OwnAddressOnly);

    private HostedPage Compose(RoutePage route, PageSections sections, IReadOnlyList<RoutePage?> shown)
    {
        var key = (route.Id, route.Revision, route.WiringKey, sections.Key);
        var ready = _cache.TryGetValue(key, out Composable? known)
            ? known!
            : Keep(key, PrepareSections(route, sections), prepared => prepared.Sections.Size);
        var versions = sections.Steps.Zip(shown).ToDictionary(pair => pair.First.Slug, pair => NameOf(pair.Second));
        var html = ready.Sections.Compose(versions.GetValueOrDefault);
        return new(
            // There may be as many combinations as visitors.
            HostedFile.Passing(Encoding.UTF8.GetBytes(html), ContentTypes.Html),
            ready.OwnAddressOnly,
            ready.Sections.BuyTargets,
            Canonical(route)
        );
    }

    /// <summary>With versions that no visitor is sent to, for somebody who tries them.</summary>
    private HostedPage ComposeWhole(RoutePage route, PageSections sections, IReadOnlyList<RoutePage?> shown)
    {
        var versions = sections.Steps.Zip(shown).ToDictionary(pair => pair.First.Slug, pair => pair.Second);
        var source = Sectioned(route)
            .Page.Compose(
                (place, first) => versions.GetValueOrDefault(place.Key) is { } chosen ? Version(chosen) ?? first : first
            );
        var own = shown.OfType<RoutePage>().Select(version => pages.Hashes(version.Id, version.Revision));
        var ready = HostedHtml.Prepare(source, ServingOf(route, own));
        return new(
            HostedFile.Passing(Encoding.UTF8.GetBytes(ready.Html), ContentTypes.Html),
            BuildsAddresses(route, [ready.Html]),
            ready.BuyTargets,
            Canonical(route)
        );
    }

    private Composable PrepareSections(RoutePage route, PageSections sections)
    {
        IReadOnlyDictionary<string, string> VersionsOf(string key) =>
            sections.Steps.FirstOrDefault(section => section.Slug == key) is { } section
                ? section
                    .Candidates.Select(version => (NameOf(version)!, Version(version)))
                    .Where(version => version.Item2 is not null)
                    .ToDictionary()!
                : new Dictionary<string, string>();
        var page = Sectioned(route).Page;
        var own = sections
            .Steps.SelectMany(section => section.Candidates)
            .Select(version => pages.Hashes(version.Id, version.Revision));
        return new(
            ReadySections.Prepare(page, VersionsOf, ServingOf(route, own)),
            BuildsAddresses(
                route,
                [page.Source, .. sections.Steps.SelectMany(section => VersionsOf(section.Slug).Values)]
            )
        );
    }

    /// <summary>
    /// The source of a version of a section; null where it is whatever stands in the page.
    /// </summary>
    public string? Version(RoutePage version)
    {
        var key = (version.Id, version.Revision, nameof(Version));
        if (!_cache.TryGetValue(key, out string? source))
            source = Keep(key, pages.Source(pages.Find(version.Id)!, version.Revision), kept => 2 * kept.Length);
        return source == SectionMark.AsItStands ? null : source;
    }

    private static string? NameOf(RoutePage? version) => version?.Id.Value.ToString(CultureInfo.InvariantCulture);

    /// <summary>
    /// A version as a page elsewhere gets it: its own pictures by their whole address. Null for what stands there.
    /// </summary>
    public string? VersionElsewhere(RoutePage version)
    {
        if (Version(version) is not { } source)
            return null;
        var key = (version.Id, version.Revision, nameof(VersionElsewhere));
        if (_cache.TryGetValue(key, out string? known))
            return known;
        foreach (var (path, hash) in pages.Hashes(version.Id, version.Revision))
            if (ServedPages.Address(path, hash) is { } address)
                source = source.Replace(path, visitors.Origin + address, StringComparison.Ordinal);
        return Keep(key, source, kept => 2 * kept.Length);
    }

    /// <param name="versions">The files of versions that stand in the page.</param>
    private PageServing ServingOf(RoutePage route, IEnumerable<IReadOnlyDictionary<string, string>>? versions = null)
    {
        var script = $"<script src=\"{visitors.Origin}/wexil.js\" data-page=\"{route.Slug}\" async></script>";
        var hashes = pages.Hashes(route.Id, route.Revision);
        var entry = pages.Find(route.Id)!.Entry!;
        return served.Serving(route, entry, ServedPages.Beside(entry, hashes, versions ?? [])) with { Ahead = script };
    }

    private bool BuildsAddresses(RoutePage route, IEnumerable<string> sources) =>
        sources
            .SelectMany(HostedHtml.InlineScripts)
            .Concat(
                pages
                    .Hashes(route.Id, route.Revision)
                    .Keys.Where(path => path.EndsWith(".js", StringComparison.OrdinalIgnoreCase))
                    .Select(path => PageText.Decode(pages.File(route.Id, route.Revision, path)!.Content))
            )
            .Any(HostedHtml.BuildsAddresses);

    private string Canonical(RoutePage route) => $"<{visitors.Link(route.Link)}>; rel=\"canonical\"";

    private Sectioned Sectioned(RoutePage route)
    {
        var key = (route.Id, route.Revision, nameof(Serving.Sectioned));
        if (_cache.TryGetValue(key, out Sectioned? known))
            return known!;
        var page = SectionedPage.Parse(pages.Source(pages.Find(route.Id)!, route.Revision));
        var sectioned = new Sectioned(page, [.. page.Places.Select(place => place.Key).Distinct()]);
        return Keep(key, sectioned, kept => 2 * kept.Page.Source.Length);
    }

    private byte[] Rooted(RoutePage page, byte[] sheet)
    {
        var css = PageText.Decode(sheet);
        var hashes = pages.Hashes(page.Id, page.Revision);
        var rooted = HostedHtml.RootedStyles(css, ServedPages.Folder(page), hashes.ContainsKey);
        return rooted == css ? sheet : Encoding.UTF8.GetBytes(rooted);
    }

    private T Keep<T>(object key, T value, Func<T, long> size) =>
        _cache.Set(key, value, new MemoryCacheEntryOptions { Size = size(value) + 256 });
}
