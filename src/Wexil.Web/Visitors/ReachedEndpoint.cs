using Wexil.App.Installation;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Goals;
using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>POST /reached</c>: the script on a page says that a visitor is there, and is told what to watch.
/// </summary>
public sealed class ReachedEndpoint(
    VisitService visits,
    IdentityStore identities,
    LastSeen seen,
    VisitorToken tokens,
    TimeProvider time
) : IVisitorsEndpoint
{
    public void Map(IEndpointRouteBuilder routes) => routes.MapPost("/reached", Answer);

    private async Task Answer(HttpContext http)
    {
        if (await ScriptMessage.Read(http) is not var (message, address))
            return;
        var now = time.GetUtcNow();
        if (message.From(http, http.Routes(), identities, tokens, now) is not { } visitor)
        {
            http.Response.StatusCode = StatusCodes.Status204NoContent;
            return;
        }
        var routes = http.Routes();
        var page = message.On(routes, address, visitor, visits);
        if (message.Counts(http, routes))
            await CountAsync(routes, page, address, visitor, now);
        var clicks = routes
            .Goals.Where(goal => goal.Goal.Kind == GoalKind.Click && goal.Funnel == page?.Funnel)
            .Select(goal => new { key = goal.Key, element = goal.Goal.Element });
        await http.Response.WriteAsJsonAsync(
            new
            {
                visitor = visitor.ToString(),
                token = tokens.Issue(visitor, now),
                clicks,
                fragments = routes.FragmentsAt(address),
            }
        );
    }

    private async Task CountAsync(
        RouteTable routes,
        RoutePage? page,
        Uri address,
        VisitorId visitor,
        DateTimeOffset now
    )
    {
        // A visitor of a page hosted here was noted when it was served.
        if (page is { Outside: not null })
        {
            // A rehearsal's message says nothing of the script in a visitor's browser.
            if (!visitor.IsRehearsal)
                seen.Note(page.Id, now);
            await visits.ReachAsync(page, visitor, now);
        }
        foreach (var goal in routes.Goals)
            if (
                goal.Goal is { Kind: GoalKind.Address, Address: { } pattern }
                && pattern.Judge(address.AbsoluteUri).Matches
            )
                await visits.MeetAsync(goal, visitor, now);
    }
}
