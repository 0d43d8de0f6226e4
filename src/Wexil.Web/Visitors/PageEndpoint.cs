using Wexil.App.Serving;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Visitors;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary><c>GET /p/{page-slug}/…</c>: a hosted page by itself, and its files.</summary>
public sealed class PageEndpoint(
    VisitService visits,
    HostedPages hosted,
    ShownSections sections,
    Arrivals arrivals,
    VisitorToken tokens,
    TimeProvider time
) : IVisitorsEndpoint
{
    // An owner who tries a page sees its own scripts at work, and fires nobody else's.
    private const string Trying = "script-src 'self' 'unsafe-inline'; connect-src 'self'; frame-src 'none'";

    public void Map(IEndpointRouteBuilder routes) => routes.MapMethods("/p/{slug}/{**path}", RouteParts.Read, Answer);

    private async Task Answer(HttpContext http)
    {
        var path = http.Request.RouteValues["path"] as string;
        if (http.Request.Headers.ContainsKey("Service-Worker"))
        {
            // A worker of one marketer's page would sit between visitors and every other page of this host.
            await PlainPage.Write(http, StatusCodes.Status403Forbidden, "Service workers are not allowed here.");
            return;
        }
        if (http.Routes().Page(http.Part("slug")) is not { Outside: null } page)
        {
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "Page not found.");
            return;
        }
        if (string.IsNullOrEmpty(path))
            await ShowAsync(http, page);
        else if (hosted.File(page, path) is { } file)
            await FileResponse.Write(http, file, FileResponse.Caching.Revalidate);
        else
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "File not found.");
    }

    private async Task ShowAsync(HttpContext http, RoutePage page)
    {
        if (!http.Request.Path.Value!.EndsWith('/'))
        {
            http.Response.StatusCode = StatusCodes.Status301MovedPermanently;
            http.Response.Headers.Location = ServedPages.Folder(page) + http.Request.QueryString;
            return;
        }
        var query = http.Request.QueryString.Value ?? "";
        var isTried =
            http.Request.Query["try"] == "1" || ChosenVersions.AreIn(query) || HttpMethods.IsHead(http.Request.Method);
        if (!isTried && http.Routes().Step(page.Step) is { Page: null, Test: null, IsSection: false })
        {
            // Nobody has said yet that a page of the step is live.
            await PlainPage.Write(http, StatusCodes.Status404NotFound, PlainPage.NotAvailable);
            return;
        }
        if (!isTried && Redirects(http))
            return;
        var ready = isTried ? hosted.Tried(http.Routes(), page, query) : await CountAsync(http, page);
        http.Response.Headers.Link = ready.Canonical;
        if (isTried || !page.IsIndexed)
            http.Response.Headers["X-Robots-Tag"] = "noindex";
        if (isTried)
            http.Response.Headers.ContentSecurityPolicy = Trying;
        await FileResponse.Write(http, ready.File, FileResponse.Caching.Never);
    }

    /// <summary>Who has not agreed to a cookie is sent here again, by an address that says who they are.</summary>
    private bool Redirects(HttpContext http)
    {
        var (routes, now) = (http.Routes(), time.GetUtcNow());
        return routes.NeedsConsent
            && RequestClassification.From(http, routes).Counts
            && Consent.Redirects(
                http,
                routes,
                tokens,
                VisitorCookie.Read(http, routes, visits, tokens, now).Visitor,
                now
            );
    }

    private async Task<HostedPage> CountAsync(HttpContext http, RoutePage page)
    {
        var routes = http.Routes();
        var caller = RequestClassification.From(http, routes);
        var now = time.GetUtcNow();
        if (caller.LeftOut is { } why)
            visits.LeaveOut(page.Step, page.Id, why, now);
        if (!caller.Counts)
            return hosted.Page(routes, page);
        var (visitor, known) = VisitorCookie.Identify(http, routes, visits, tokens, now);
        var reached = visits.ReachAsync(page, visitor, now);
        if (routes.Step(page.Step) is not { } step)
        {
            await reached;
            return hosted.Page(routes, page);
        }
        var query = http.Request.QueryString.Value ?? "";
        var visit = arrivals.Read(http, routes, step, visitor, known, caller.Device, query, now);
        return await sections.ShowAsync(routes, page, visit, known, reached);
    }
}
