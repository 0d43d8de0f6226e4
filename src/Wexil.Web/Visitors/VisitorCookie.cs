using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary>The first-party cookie that holds the visitor's id and nothing else.</summary>
public static class VisitorCookie
{
    private static readonly TimeSpan Life = TimeSpan.FromDays(400);

    /// <summary>
    /// The same id for outside pages where a test starts, which ask from another site. It is a cookie of its own,
    /// because those that other sites may bring along would take the first one's place.
    /// </summary>
    public const string ElsewhereName = "wx_known";

    /// <summary>
    /// The visitor of a request: by the cookie, else by the token in the address, else someone new, who is given the
    /// cookie.
    /// </summary>
    /// <returns>The visitor, and whether the id may have been seen before.</returns>
    public static (VisitorId Visitor, bool Known) Identify(
        HttpContext http,
        RouteTable routes,
        VisitService visits,
        VisitorToken tokens,
        DateTimeOffset now
    )
    {
        if (Own(http) is { } own)
            return (own, true);
        var (visitor, known) = Read(http, routes, visits, tokens, now);
        if (!Consent.IsGiven(http, routes))
            return (visitor, known);
        http.Response.Give(VisitorId.CookieName, visitor.ToString(), Life);
        return (visitor, known);
    }

    /// <summary>The same, and no cookie is given.</summary>
    public static (VisitorId Visitor, bool Known) Read(
        HttpContext http,
        RouteTable routes,
        VisitService visits,
        VisitorToken tokens,
        DateTimeOffset now
    )
    {
        if ((Own(http) ?? Elsewhere(http) ?? Consent.VisitorOf(http, routes, tokens, now)) is { } own)
            return (own, true);
        var carried =
            http.Request.QueryString.Value is { Length: > 1 } query && AddressQuery.Value(query, "wx") is { } token
                ? tokens.Read(token, now)
                : null;
        return carried is { } id ? (id, true) : (visits.NewVisitor(now), false);
    }

    /// <summary>Lets outside pages where a test starts know the visitor too, as far as the browser allows it.</summary>
    public static void ShowElsewhere(HttpContext http, RouteTable routes, VisitorId visitor)
    {
        if (!Consent.IsGiven(http, routes) || http.Request.Cookie(ElsewhereName) == visitor.ToString())
            return;
        var isHttps = http.Request.IsHttps;
        http.Response.Cookies.Append(
            ElsewhereName,
            visitor.ToString(),
            new CookieOptions
            {
                MaxAge = Life,
                Path = "/",
                HttpOnly = true,
                // Browsers let other sites bring along only what came by https.
                SameSite = isHttps ? SameSiteMode.None : SameSiteMode.Lax,
                Secure = isHttps,
            }
        );
    }

    /// <summary>
    /// The visitor as an outside page's question brings them along; null where the browser does not allow it.
    /// </summary>
    public static VisitorId? Elsewhere(HttpContext http) =>
        VisitorId.TryParse(http.Request.Cookie(ElsewhereName), out var visitor) ? visitor : null;

    /// <summary>The visitor by the cookie; null where there is none.</summary>
    public static VisitorId? Own(HttpContext http) =>
        VisitorId.TryParse(http.Request.Cookie(VisitorId.CookieName), out var visitor) ? visitor : null;
}
