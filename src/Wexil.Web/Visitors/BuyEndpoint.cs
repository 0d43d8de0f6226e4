using System.Globalization;
using Wexil.App.Serving;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>GET /buy/{page}</c> and <c>GET /no/{page}</c>: where a page's buy buttons and its noes lead. The address names
/// the page, so that a button cannot be another page's.
/// </summary>
public static class BuyEndpoint
{
    public static async Task Buy(
        HttpContext http,
        string slug,
        VisitService desk,
        HostedPages hosted,
        VisitorToken tokens,
        TimeProvider time
    )
    {
        http.Response.Headers.CacheControl = "no-store";
        if (desk.Routes.Page(slug) is not { } page)
        {
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "There is no page at this address.");
            return;
        }
        if (page.Outside is not null)
        {
            // What stands on the page is not known here; the order of the steps is.
            await Onward(http, desk.Routes.Step(page.Step)?.YesSlug, Travelling(http));
            return;
        }
        var targets = hosted.Page(page).BuyTargets;
        var button = int.TryParse(
            http.Request.Query["button"],
            NumberStyles.None,
            CultureInfo.InvariantCulture,
            out var number
        )
            ? number - 1
            : 0;
        var target =
            button >= 0 && button < targets.Count ? targets[button]
            : targets.Count > 0 ? targets[0]
            : "";
        var query = Arrivals.WithAffiliate(http, desk.Routes, Travelling(http));
        if (target.StartsWith('/') && !target.StartsWith("//", StringComparison.Ordinal))
            GoEndpoint.Redirect(
                http,
                new OutsideAddress(new(new Uri("http://own.invalid"), target)).With(query)[
                    "http://own.invalid".Length..
                ]
            );
        else if (
            Uri.TryCreate(
                target.StartsWith("//", StringComparison.Ordinal) ? "https:" + target : target,
                UriKind.Absolute,
                out var till
            ) && till.Scheme is "http" or "https"
        )
        {
            var now = time.GetUtcNow();
            var visitor = (
                RequestClassification.Of(http, desk.Routes).Counts
                    ? VisitorCookie.Of(http, desk, tokens, now)
                    : VisitorCookie.Read(http, desk, tokens, now)
            ).Visitor;
            GoEndpoint.Redirect(
                http,
                GoEndpoint.Onward(
                    new(till),
                    desk.Routes.Step(page.Step),
                    page,
                    tokens.Issue(visitor, now),
                    query,
                    now,
                    desk.Routes.PassThrough
                )
            );
        }
        else
            await Onward(http, desk.Routes.Step(page.Step)?.YesSlug, query);
    }

    public static async Task No(HttpContext http, string slug, VisitService desk)
    {
        http.Response.Headers.CacheControl = "no-store";
        if (desk.Routes.Page(slug) is { } page)
            await Onward(http, desk.Routes.Step(page.Step)?.NoSlug, Travelling(http));
        else
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "There is no page at this address.");
    }

    private static async Task Onward(HttpContext http, string? next, string query)
    {
        if (next is not null)
            GoEndpoint.Redirect(http, $"/go/{next}{query}");
        else
            await PlainPage.Write(
                http,
                StatusCodes.Status404NotFound,
                "The page behind this button is not here yet. Please come back later."
            );
    }

    private static string Travelling(HttpContext http)
    {
        var parts = (http.Request.QueryString.Value ?? "")
            .TrimStart('?')
            .Split('&')
            .Where(part => part.Length > 0 && !part.StartsWith("button=", StringComparison.Ordinal))
            .ToArray();
        return parts.Length == 0 ? "" : "?" + string.Join('&', parts);
    }
}
