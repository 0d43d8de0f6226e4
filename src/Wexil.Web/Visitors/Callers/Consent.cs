using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;

namespace Wexil.Web.Visitors.Callers;

/// <summary>
/// Visitors who have not agreed to a cookie, where the owner waits for that. An address says who they are instead: that
/// of the page they are on, which browsers send along to the same host.
/// </summary>
public static class Consent
{
    /// <summary>Says that the visitor agreed.</summary>
    public const string Cookie = "wx_ok";

    /// <summary>How long an address says who somebody is.</summary>
    public static readonly TimeSpan AddressLasts = TimeSpan.FromHours(4);

    // Unlike the token for outside pages, which lasts for minutes and is taken out of the address bar, it stays there.
    private const string Parameter = "wx_visit";

    /// <summary>Cookies may be given.</summary>
    public static bool IsGiven(HttpContext http, RouteTable routes) =>
        !routes.NeedsConsent || http.Request.Cookie(Cookie) is not null;

    /// <summary>Whom the address says, or that of the page they come from; null where cookies say it.</summary>
    public static VisitorId? VisitorOf(HttpContext http, RouteTable routes, VisitorToken tokens, DateTimeOffset now) =>
        !routes.NeedsConsent
            ? null
            : Read(http.Request.QueryString.Value, tokens, now) ?? Read(QueryOfReferer(http), tokens, now);

    /// <summary>Sends somebody to the same address once more, where it does not say who they are.</summary>
    /// <returns>False where nothing had to be done.</returns>
    public static bool Redirects(
        HttpContext http,
        RouteTable routes,
        VisitorToken tokens,
        VisitorId visitor,
        DateTimeOffset now
    )
    {
        var query = http.Request.QueryString.Value ?? "";
        if (
            IsGiven(http, routes)
            || VisitorCookie.Own(http) is not null
            || HttpMethods.IsHead(http.Request.Method)
            || Read(query, tokens, now) == visitor
        )
            return false;
        http.Response.Headers.CacheControl = "no-store";
        Onward.Redirect(http, http.Request.Path + WithVisitor(http, routes, tokens, visitor, query, now));
        return true;
    }

    /// <summary>A query that says who somebody is where no cookie does; otherwise as it was.</summary>
    public static string WithVisitor(
        HttpContext http,
        RouteTable routes,
        VisitorToken tokens,
        VisitorId visitor,
        string query,
        DateTimeOffset now
    )
    {
        if (IsGiven(http, routes) || VisitorCookie.Own(http) is not null)
            return query;
        var others = query
            .TrimStart('?')
            .Split('&', StringSplitOptions.RemoveEmptyEntries)
            .Where(part => !part.StartsWith(Parameter + "=", StringComparison.Ordinal));
        return "?" + string.Join('&', others.Append($"{Parameter}={tokens.Issue(visitor, now)}"));
    }

    private static VisitorId? Read(string? query, VisitorToken tokens, DateTimeOffset now) =>
        query is { Length: > 1 } ? tokens.ReadWithin(AddressQuery.Value(query, Parameter), AddressLasts, now) : null;

    private static string? QueryOfReferer(HttpContext http) =>
        Uri.TryCreate(http.Request.Headers.Referer, UriKind.Absolute, out var page)
        && page.Authority == http.Request.Host.Value
            ? page.Query
            : null;
}
