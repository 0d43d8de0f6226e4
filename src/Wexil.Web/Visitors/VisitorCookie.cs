using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary>The first-party cookie that holds the visitor's id and nothing else.</summary>
public static class VisitorCookie
{
    public const string Name = "wx_visitor";
    private const int Days = 400;

    /// <summary>
    /// The same id for outside pages where a test starts, which ask from another site. It is a cookie of its own,
    /// because those that other sites may bring along would take the first one's place.
    /// </summary>
    private const string ElsewhereName = "wx_known";

    /// <summary>
    /// The visitor of a request: by the cookie, else by the token in the address, else someone new, who is given the
    /// cookie.
    /// </summary>
    /// <returns>The visitor, and whether the id may have been seen before.</returns>
    public static (VisitorId Visitor, bool Known) Of(
        HttpContext http,
        VisitService desk,
        VisitorToken tokens,
        DateTimeOffset now
    )
    {
        if (Own(http) is { } own)
            return (own, true);
        var (visitor, known) = Read(http, desk, tokens, now);
        var secure = http.Request.IsHttps ? "; secure" : "";
        http.Response.Headers.Append(
            "Set-Cookie",
            $"{Name}={visitor}; max-age={Days * 86400}; path=/; samesite=lax; httponly{secure}"
        );
        return (visitor, known);
    }

    /// <summary>The same, and no cookie is given.</summary>
    public static (VisitorId Visitor, bool Known) Read(
        HttpContext http,
        VisitService desk,
        VisitorToken tokens,
        DateTimeOffset now
    )
    {
        if ((Own(http) ?? Elsewhere(http)) is { } own)
            return (own, true);
        var carried =
            http.Request.QueryString.Value is { Length: > 1 } query && AddressQuery.Value(query, "wx") is { } token
                ? tokens.Read(token, now)
                : null;
        return carried is { } id ? (id, true) : (desk.NewVisitor(now), false);
    }

    /// <summary>Lets outside pages where a test starts know the visitor too, as far as the browser allows it.</summary>
    public static void ShowElsewhere(HttpContext http, VisitorId visitor)
    {
        if (http.Request.Cookie(ElsewhereName) == visitor.ToString())
            return;
        var reach = http.Request.IsHttps ? "none; secure" : "lax";
        http.Response.Headers.Append(
            "Set-Cookie",
            $"{ElsewhereName}={visitor}; max-age={Days * 86400}; path=/; httponly; samesite={reach}"
        );
    }

    /// <summary>
    /// The visitor as an outside page's question brings them along; null where the browser does not allow it.
    /// </summary>
    public static VisitorId? Elsewhere(HttpContext http) =>
        VisitorId.TryParse(http.Request.Cookie(ElsewhereName), out var visitor) ? visitor : null;

    /// <summary>The visitor by the cookie; null where there is none.</summary>
    public static VisitorId? Own(HttpContext http) =>
        VisitorId.TryParse(http.Request.Cookie(Name), out var visitor) ? visitor : null;
}
