using System.Globalization;
using Wexil.Core.Splits;

namespace Wexil.Web.Visitors;

/// <summary><c>GET /go/{slug}</c>: a step's permanent link.</summary>
public static class GoEndpoint
{
    public static async Task Answer(HttpContext http, string slug, VisitDesk desk, HostedPages hosted, VisitorToken tokens, TimeProvider time)
    {
        http.Response.Headers.CacheControl = "no-store";
        var routes = desk.Routes;
        if (routes.Step(slug) is not { } step)
        {
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "There is nothing at this address.");
            return;
        }
        if (step.Forward is { } forward)
        {
            Redirect(http, OutsideAddress.WithQuery(new(forward), http.Request.QueryString.Value ?? "", []));
            return;
        }
        var now = time.GetUtcNow();
        RoutePage? page;
        VisitorId visitor;
        if (HttpMethods.IsHead(http.Request.Method))
        {
            // Asks whether the link answers; nobody is looking.
            visitor = desk.NewVisitor(now);
            page = desk.Peek(step, visitor, known: false);
        }
        else
        {
            (visitor, var known) = VisitorCookie.Of(http, desk, tokens, now);
            page = await desk.VisitAsync(step, visitor, known, now);
        }

        if (page is null) await PlainPage.Write(http, StatusCodes.Status404NotFound, "This page is not here yet. Please come back later.");
        else if (page.Outside is { } outside) Redirect(http, Onward(outside, http, step, page, tokens.Issue(visitor, now)));
        else if (hosted.Page(page) is { OwnAddressOnly: false } ready)
        {
            http.Response.Headers.Link = ready.Canonical;
            // What search engines list at the link is the page kept, not one that is being tried.
            if (page.Id != step.Page?.Id && !page.IsIndexed) http.Response.Headers["X-Robots-Tag"] = "noindex";
            await FileResponse.Write(http, ready.File, FileResponse.Caching.Never);
        }
        else Redirect(http, HostedPages.Folder(page) + http.Request.QueryString);
    }

    private static string Onward(Uri outside, HttpContext http, RouteStep step, RoutePage page, string token)
    {
        List<(string, string)> ours = [("wx", token), ("wx_page", page.Slug)];
        if (step.Test is { Phase: not null } test) ours.Insert(1, ("wx_test", test.Id.Value.ToString(CultureInfo.InvariantCulture)));
        return OutsideAddress.WithQuery(outside, http.Request.QueryString.Value ?? "", ours);
    }

    internal static void Redirect(HttpContext http, string address)
    {
        http.Response.StatusCode = StatusCodes.Status302Found;
        http.Response.Headers.Location = address;
    }
}
