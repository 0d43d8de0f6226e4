using Wexil.Core.Splits;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary>The first-party cookie that holds the visitor's id and nothing else.</summary>
public static class VisitorCookie
{
    public const string Name = "wx_visitor";
    private const int Days = 400;

    /// <summary>The visitor of a request: by the cookie, else by the token in the address, else someone new, who is given the cookie.</summary>
    /// <returns>The visitor, and whether the id may have been seen before.</returns>
    public static (VisitorId Visitor, bool Known) Of(HttpContext http, VisitDesk desk, VisitorToken tokens, DateTimeOffset now)
    {
        if (Own(http) is { } own) return (own, true);
        var (visitor, known) = Read(http, desk, tokens, now);
        var secure = http.Request.IsHttps ? "; secure" : "";
        http.Response.Headers.Append("Set-Cookie", $"{Name}={visitor}; max-age={Days * 86400}; path=/; samesite=lax; httponly{secure}");
        return (visitor, known);
    }

    /// <summary>The same, and no cookie is given.</summary>
    public static (VisitorId Visitor, bool Known) Read(HttpContext http, VisitDesk desk, VisitorToken tokens, DateTimeOffset now)
    {
        if (Own(http) is { } own) return (own, true);
        var carried = http.Request.QueryString.Value is { Length: > 1 } query && AddressQuery.Value(query, "wx") is { } token ? tokens.Read(token, now) : null;
        return carried is { } id ? (id, true) : (desk.NewVisitor(now), false);
    }

    /// <summary>The visitor by the cookie; null where there is none.</summary>
    public static VisitorId? Own(HttpContext http) => VisitorId.TryParse(http.Request.Cookie(Name), out var visitor) ? visitor : null;
}
