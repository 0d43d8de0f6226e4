using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Visitors;

namespace Wexil.App.Serving;

/// <summary>Puts a hosted page together for one visitor, with the version of each section that is theirs.</summary>
public sealed class ShownSections(VisitService visits, HostedPages hosted)
{
    /// <summary>Decides, records, and gives the page.</summary>
    /// <param name="known">The visitor may have been here before.</param>
    public async ValueTask<HostedPage> ShowAsync(RouteTable routes, RoutePage page, Visit visit, bool known)
    {
        var plain = hosted.Plain(page);
        if (plain.Keys.Count == 0)
            return plain;
        var sections = HostedPages.Sections(routes, plain);
        var versions = await visits.ShowSectionsAsync(sections, visit, known);
        return hosted.Page(page, [.. sections.Zip(versions, (section, version) => new ShownVersion(section, version))]);
    }
}
