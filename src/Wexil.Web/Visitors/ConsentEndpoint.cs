using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Web.Visitors.Callers;
using Wexil.Web.Visitors.Documents;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>GET /privacy</c>: what is stored of a visitor, in words. <c>POST /consent/yes</c> and <c>/consent/no</c>: whether
/// they agree to a cookie, as an owner's banner or that page says.
/// </summary>
public sealed class ConsentEndpoint(VisitorToken tokens, SettingStore settings, TimeProvider time) : IVisitorsEndpoint
{
    private static readonly TimeSpan Life = TimeSpan.FromDays(400);

    private static readonly string[] Cookies =
    [
        VisitorId.CookieName,
        VisitorCookie.ElsewhereName,
        Arrivals.AffiliateCookie,
        Consent.Cookie,
    ];

    public void Map(IEndpointRouteBuilder routes)
    {
        routes.MapGet("/privacy", Show);
        routes.MapPost("/consent/yes", http => IsElsewhere(http) ? Forbid(http) : Agree(http));
        routes.MapPost("/consent/no", Refuse);
    }

    private Task Show(HttpContext http)
    {
        http.Response.Headers.CacheControl = "no-store";
        http.Response.Headers.ContentSecurityPolicy = DocumentStyles.Policy(DocumentStyles.Plain);
        return DocumentRenderer.WriteAsync<Privacy>(
            http,
            (nameof(Privacy.Owner), settings.OwnerName),
            (nameof(Privacy.NeedsConsent), http.Routes().NeedsConsent),
            (nameof(Privacy.HeedsPrivacyControl), http.Routes().HeedsPrivacyControl),
            (nameof(Privacy.Kept), settings.Retention),
            (nameof(Privacy.HasCookie), VisitorCookie.Own(http) is not null)
        );
    }

    /// <summary>Nobody else's site agrees in a visitor's place.</summary>
    private static bool IsElsewhere(HttpContext http) => http.Request.Headers["Sec-Fetch-Site"] == "cross-site";

    private static Task Forbid(HttpContext http) =>
        PlainPage.Write(http, StatusCodes.Status403Forbidden, "Only a page of this site can say that you agree.");

    private Task Agree(HttpContext http)
    {
        // The page that asked says who it is, so that nobody becomes somebody else by agreeing.
        var visitor = VisitorCookie.Own(http) ?? Consent.VisitorOf(http, http.Routes(), tokens, time.GetUtcNow());
        http.Response.Give(Consent.Cookie, "1", Life);
        if (visitor is { } who)
            http.Response.Give(VisitorId.CookieName, who.ToString(), Life);
        return Back(http);
    }

    private static Task Refuse(HttpContext http)
    {
        foreach (var cookie in Cookies)
            http.Response.Give(cookie, "", TimeSpan.Zero);
        return Back(http);
    }

    /// <summary>A script needs no answer; a form goes back to its page, or to the words about privacy.</summary>
    private static Task Back(HttpContext http)
    {
        http.Response.Headers.CacheControl = "no-store";
        http.Response.StatusCode = StatusCodes.Status303SeeOther;
        var isOwn =
            Uri.TryCreate(http.Request.Headers.Referer, UriKind.Absolute, out var page)
            && page.Authority == http.Request.Host.Value;
        http.Response.Headers.Location = isOwn ? page!.PathAndQuery : "/privacy";
        if (!http.Request.Headers.Accept.ToString().Contains("text/html", StringComparison.Ordinal))
            http.Response.StatusCode = StatusCodes.Status204NoContent;
        return Task.CompletedTask;
    }
}
