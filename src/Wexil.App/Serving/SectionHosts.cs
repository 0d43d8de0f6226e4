using Wexil.Core.Assignments;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;
using Wexil.Store;

namespace Wexil.App.Serving;

/// <summary>The page that a version of a section is shown in while its owner looks at it.</summary>
/// <param name="Hash">Of its source as it stands now.</param>
public sealed record SectionHost(RoutePage Route, Page Page, SectionedPage Source, string Key, string Hash)
{
    /// <summary>The page with a version in it.</summary>
    public string Prepare(string version, PageServing serving)
    {
        var start = Source.Places.First(place => place.Key == Key).Start;
        var composed = Source.Compose((place, first) => place.Key == Key ? version : first);
        return HostedHtml.Prepare(composed, serving with { Editable = (start, start + version.Length) }).Html;
    }
}

/// <summary>Finds the page that a section is on.</summary>
public sealed class SectionHosts(PageStore pages, DraftStore drafts)
{
    /// <summary>
    /// The page that the section's step shows, where the section is marked on it; else the first of the step's pages
    /// that has it. Null for a page that is no version of a section, and where no page has it any more.
    /// </summary>
    public SectionHost? Find(RouteTable routes, Page version)
    {
        if (routes.Step(version.Step) is not { Host: { } id } section || routes.Step(id) is not { } step)
            return null;
        return pages
            .ForStep(id)
            .Where(page => page.IsHosted)
            .OrderBy(page => page.Id == step.Page?.Id ? 0 : 1)
            .Select(page => HostOf(routes, page, section.Slug))
            .FirstOrDefault(host => host is not null);
    }

    private SectionHost? HostOf(RouteTable routes, Page page, string key)
    {
        var source = SectionedPage.Parse(drafts.For(page).Source);
        return source.First(key) is not null && routes.Page(page.Slug) is { } route
            ? new(route, page, source, key, drafts.Hash(page))
            : null;
    }
}
