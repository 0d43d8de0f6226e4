using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Visitors;

namespace Wexil.App.Serving;

/// <summary>Puts a hosted page together for one visitor, with the version of each section that is theirs.</summary>
public sealed class ShownSections(VisitService visits, HostedPages hosted)
{
    /// <summary>Decides, records, and gives the page.</summary>
    /// <param name="known">The visitor may have been here before.</param>
    /// <param name="recorded">When the visit of the page is: both are written in one go.</param>
    public async ValueTask<HostedPage> ShowAsync(
        RouteTable routes,
        RoutePage page,
        Visit visit,
        bool known,
        Task recorded
    )
    {
        var plain = hosted.Plain(page);
        if (plain.Keys.Count == 0)
        {
            await recorded;
            return plain;
        }
        var sections = hosted.Sections(routes, page, plain);
        var versions = await visits.ShowSectionsAsync(routes, sections.Steps, visit, known);
        // Together they take as long as one.
        await recorded;
        return hosted.Page(page, sections, versions);
    }
}
