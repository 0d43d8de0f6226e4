using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.Web.Visitors.Starting;

/// <summary>Who asks from an outside page.</summary>
public sealed class OutsideVisitors(VisitService visits, IdentityStore identities)
{
    /// <summary>By our own cookie where the browser brings it along, else by the outside site's.</summary>
    public (VisitorId Visitor, bool Known) Identify(HttpContext http, RouteStep step, DateTimeOffset now)
    {
        var here = VisitorCookie.Own(http) ?? VisitorCookie.Elsewhere(http);
        VisitorId? there = VisitorId.TryParse(
            AddressQuery.Value(http.Request.QueryString.Value ?? "", "wx"),
            out var elsewhere
        )
            ? identities.Resolve(elsewhere)
            : null;
        // Of two the one that has a place already; the page once seen is the page seen again.
        if (here is { } ours && there is { } theirs)
            return (visits.HasPlace(step, theirs) && !visits.HasPlace(step, ours) ? theirs : ours, true);
        return (here ?? there) is { } visitor ? (visitor, true) : (visits.NewVisitor(now), false);
    }
}
