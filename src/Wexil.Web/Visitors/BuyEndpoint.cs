using System.Globalization;
using Wexil.App.Serving;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>GET /buy/{page}</c> and <c>GET /no/{page}</c>: where a page's buy buttons and its noes lead. The address names
/// the page, so that a button cannot be another page's.
/// </summary>
public sealed class BuyEndpoint(VisitService visits, HostedPages hosted, VisitorToken tokens, TimeProvider time)
    : IVisitorsEndpoint
{
    public void Map(IEndpointRouteBuilder routes)
    {
        routes.MapGet("/buy/{slug}", Buy);
        routes.MapGet("/no/{slug}", No);
    }

    private async Task Buy(HttpContext http)
    {
        http.Response.Headers.CacheControl = "no-store";
        if (http.Routes().Page(http.Part("slug")) is not { } page)
        {
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "Page not found.");
            return;
        }
        if (page.Outside is not null)
        {
            // What stands on the page is not known here; the order of the steps is.
            await Next(http, http.Routes().Step(page.Step)?.YesSlug, Travelling(http));
            return;
        }
        var target = Target(http, hosted.Page(http.Routes(), page).BuyTargets);
        var query = Arrivals.WithAffiliate(http, http.Routes(), Travelling(http));
        if (IsOwnPath(target))
            Onward.Redirect(http, OnHost(target, query));
        else if (Till(target) is { } till)
            Onward.Redirect(http, ToTill(http, page, till, query));
        else
            await Next(http, http.Routes().Step(page.Step)?.YesSlug, query);
    }

    private static string Target(HttpContext http, IReadOnlyList<string> targets)
    {
        if (targets.Count == 0)
            return "";
        var isNumber = int.TryParse(
            http.Request.Query["button"],
            NumberStyles.None,
            CultureInfo.InvariantCulture,
            out var number
        );
        return isNumber && number >= 1 && number <= targets.Count ? targets[number - 1] : targets[0];
    }

    private static bool IsOwnPath(string target) =>
        target.StartsWith('/') && !target.StartsWith("//", StringComparison.Ordinal);

    private static string OnHost(string path, string query)
    {
        const string host = "http://own.invalid";
        return new OutsideAddress(new(new Uri(host), path)).With(query)[host.Length..];
    }

    /// <summary>Null where the target is no address of a site.</summary>
    private static Uri? Till(string target)
    {
        var written = target.StartsWith("//", StringComparison.Ordinal) ? "https:" + target : target;
        return Uri.TryCreate(written, UriKind.Absolute, out var till) && till.Scheme is "http" or "https" ? till : null;
    }

    private string ToTill(HttpContext http, RoutePage page, Uri till, string query)
    {
        var now = time.GetUtcNow();
        var (visitor, _) = RequestClassification.From(http, http.Routes()).Counts
            ? VisitorCookie.Identify(http, http.Routes(), visits, tokens, now)
            : VisitorCookie.Read(http, http.Routes(), visits, tokens, now);
        return Onward.Address(
            new(till),
            http.Routes().Step(page.Step),
            page,
            tokens.Issue(visitor, now),
            query,
            now,
            http.Routes().PassThrough
        );
    }

    private async Task No(HttpContext http)
    {
        http.Response.Headers.CacheControl = "no-store";
        if (http.Routes().Page(http.Part("slug")) is { } page)
            await Next(http, http.Routes().Step(page.Step)?.NoSlug, Travelling(http));
        else
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "Page not found.");
    }

    private static async Task Next(HttpContext http, string? next, string query)
    {
        if (next is not null)
            Onward.Redirect(http, $"/go/{next}{query}");
        else
            await PlainPage.Write(http, StatusCodes.Status404NotFound, PlainPage.NotAvailable);
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
