using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.Web.Visitors.Starting;

/// <summary>Who asks from an outside page.</summary>
public sealed class OutsideVisitors(VisitService visits, IdentityStore identities, VisitorToken tokens)
{
    /// <summary>
    /// By our own cookie where the browser brings it along, else by the outside site's, else by the token with which
    /// the visitor came to the page by a link.
    /// </summary>
    public (VisitorId Visitor, bool Known) Identify(HttpContext http, RouteStep step, DateTimeOffset now)
    {
        var here = VisitorCookie.Own(http) ?? VisitorCookie.Elsewhere(http);
        var query = http.Request.QueryString.Value ?? "";
        VisitorId? there = VisitorId.TryParse(AddressQuery.Value(query, "wx"), out var elsewhere)
            ? identities.Resolve(elsewhere)
            : tokens.Read(AddressQuery.Value(AddressQuery.Value(query, "at") ?? "", "wx"), now);
        // Of two the one that has a place already; the page once seen is the page seen again.
        if (here is { } ours && there is { } theirs)
            return (visits.HasPlace(step, theirs) && !visits.HasPlace(step, ours) ? theirs : ours, true);
        return (here ?? there) is { } visitor ? (visitor, true) : (visits.NewVisitor(now), false);
    }
}
