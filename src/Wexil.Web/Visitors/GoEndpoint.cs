using Microsoft.AspNetCore.Routing.Patterns;
using Wexil.App.Serving;
using Wexil.App.Tickets;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary><c>GET /go/{slug}</c>: a step's permanent link.</summary>
public sealed class GoEndpoint(
    VisitService visits,
    HostedPages hosted,
    ShownSections sections,
    VisitorToken tokens,
    Arrivals arrivals,
    TryTickets tickets,
    IdentityStore identities,
    TroubleLog troubles,
    TimeProvider time
) : IVisitorsEndpoint
{
    private const string Prefix = "/go/",
        Pattern = Prefix + "{slug}";

    public void Map(IEndpointRouteBuilder routes) => routes.MapMethods(Pattern, RouteParts.Read, Answer);

    /// <summary>
    /// Answers what is asked for most without the framework's search for an endpoint, which takes a dictionary a
    /// request; everything that is not plainly a link goes that way.
    /// </summary>
    public RequestDelegate Before(RequestDelegate next)
    {
        var endpoint = new RouteEndpoint(Answer, RoutePatternFactory.Parse(Pattern), 0, null, Pattern);
        return http =>
        {
            if (!HttpMethods.IsGet(http.Request.Method) || !IsLink(http.Request.Path.Value))
                return next(http);
            http.SetEndpoint(endpoint);
            return Answer(http);
        };
    }

    private static bool IsLink(string? path) =>
        path is not null
        && path.Length > Prefix.Length
        && path.StartsWith(Prefix, StringComparison.Ordinal)
        && path.IndexOf('/', Prefix.Length) < 0;

    // The path is the pattern's, if not in its letters: capitals and a slash at the end are let through.
    private static ReadOnlySpan<char> SlugOf(HttpContext http) =>
        http.Request.Path.Value.AsSpan(Prefix.Length).TrimEnd('/');

    private Task Answer(HttpContext http)
    {
        http.Response.Headers.CacheControl = "no-store";
        var routes = http.Routes();
        if (routes.Step(SlugOf(http)) is not { } step)
            return PlainPage.Write(http, StatusCodes.Status404NotFound, "Page not found.");
        var query = http.Request.QueryString.Value ?? "";
        if (step.Forward is { } forward)
        {
            Onward.Redirect(http, new OutsideAddress(new(forward)).With(query));
            return Task.CompletedTask;
        }
        var now = time.GetUtcNow();
        // Hardly any address has a parameter of ours.
        var hasOurs = query.Contains("wx_", StringComparison.Ordinal);
        if (hasOurs && AddressQuery.Value(query, TryTickets.Parameter) is { Length: > 0 } ticket)
            return new TryAnswer(visits, hosted, now).Answer(http, step, tickets.Open(ticket));
        var caller = Classify(
            http,
            routes,
            hasOurs && AddressQuery.Value(query, RequestClassification.CountMeCookie) is not null
        );
        var (visitor, known) = caller.Counts
            ? VisitorCookie.Identify(http, routes, visits, tokens, now)
            : VisitorCookie.Read(http, routes, visits, tokens, now);
        if (caller.Counts && Consent.Redirects(http, routes, tokens, visitor, now))
            return Task.CompletedTask;
        var visit = arrivals.Read(http, routes, step, visitor, known, caller.Device, query, now);
        var arrival = new Arrival(routes, step, visit, known, caller.Counts);
        if (!caller.Counts)
            return Show(http, arrival, PageForUncounted(caller, arrival), Task.CompletedTask);
        return hasOurs && AddressQuery.Value(query, "wx_start") is { } start
            ? CountPromised(http, arrival, start)
            : Count(http, arrival, promised: null);
    }

    /// <summary>Who comes by which link.</summary>
    /// <param name="Known">The visitor may have been here before.</param>
    /// <param name="Counts">What is shown is recorded.</param>
    private readonly record struct Arrival(RouteTable Routes, RouteStep Step, Visit Visit, bool Known, bool Counts);

    private static RequestClassification Classify(HttpContext http, RouteTable routes, bool countsMe)
    {
        if (!countsMe)
            return RequestClassification.From(http, routes);
        CountMe(http);
        return RequestClassification.From(http, routes) with { LeftOut = null, IsTrying = false };
    }

    private async Task CountPromised(HttpContext http, Arrival arrival, string start) =>
        await Count(http, arrival, await PromisedAsync(arrival.Visit, start, arrival.Step));

    private Task Count(HttpContext http, Arrival arrival, PageId? promised)
    {
        var visit = arrival.Visit;
        if (arrival.Step.StartsOnPage)
            VisitorCookie.ShowElsewhere(http, arrival.Routes, visit.Visitor);
        var (turn, recorded) = visits.Arrive(
            arrival.Routes,
            arrival.Step,
            visit,
            arrival.Known,
            promised,
            Arrivals.IsInside(http)
        );
        if (visit.Traits.IsAffiliate && Consent.IsGiven(http, arrival.Routes))
            Arrivals.Remember(http, arrival.Routes);
        return Show(http, arrival, turn?.Page, recorded);
    }

    // Robots, previews and browsers that keep no cookie see the step's page; the owner sees what a visitor would.
    private RoutePage? PageForUncounted(RequestClassification caller, Arrival arrival)
    {
        var (routes, step, visit) = (arrival.Routes, arrival.Step, arrival.Visit);
        var seesLivePage =
            caller.LeftOut is NotCountedReason.Robot or NotCountedReason.Check or NotCountedReason.Private;
        var page = (seesLivePage ? step.Page : null) ?? visits.Peek(routes, step, visit, arrival.Known)?.Page;
        if (page is not null && caller.LeftOut is { } why)
            visits.LeaveOut(step.Id, page.Id, why, visit.At);
        return page;
    }

    /// <summary>
    /// The page that the visitor was drawn for on the owner's own page. Who is known there by another id than here is
    /// one visitor from now on: the promise was made to this browser a moment ago. Once it was used, the same address
    /// is one that was handed on to somebody else.
    /// </summary>
    private async Task<PageId?> PromisedAsync(Visit visit, string promise, RouteStep step)
    {
        var here = visit.Visitor;
        if (
            tokens.Read(AddressQuery.Value(visit.Query, "wx"), visit.At) is not { } there
            || tokens.ReadPage(promise, there, visit.At) is not { } page
        )
            return null;
        if (there == here || identities.Resolve(there) != there || visits.HasPlace(step, there))
            return page;
        try
        {
            await identities.JoinAsync(there, here);
        }
        catch (StoreException error)
        {
            troubles.Say("Two ids of one browser could not be joined", error);
        }
        return page;
    }

    /// <param name="recorded">When the visit is: nobody is answered before.</param>
    private Task Show(HttpContext http, Arrival arrival, RoutePage? page, Task recorded) =>
        page switch
        {
            null => ShowNothing(http, recorded),
            { Outside: { } outside } => SendOutside(http, arrival, page, outside, recorded),
            _ => ShowHosted(http, arrival, page, recorded),
        };

    private static async Task ShowNothing(HttpContext http, Task recorded)
    {
        await recorded;
        await PlainPage.Write(http, StatusCodes.Status404NotFound, PlainPage.NotAvailable);
    }

    private async Task SendOutside(
        HttpContext http,
        Arrival arrival,
        RoutePage page,
        OutsideAddress outside,
        Task recorded
    )
    {
        var (routes, step, visit) = (arrival.Routes, arrival.Step, arrival.Visit);
        // While the visit is being recorded, so that nothing is left to do after it but to answer.
        var address = Onward.Address(
            outside,
            step,
            page,
            tokens.Issue(visit.Visitor, visit.At),
            Arrivals.WithAffiliate(http, routes, step.Carries.Select(visit.Query)),
            visit.At,
            routes.PassThrough
        );
        await recorded;
        Onward.Redirect(http, address);
    }

    private async Task ShowHosted(HttpContext http, Arrival arrival, RoutePage page, Task recorded)
    {
        var (routes, step, visit) = (arrival.Routes, arrival.Step, arrival.Visit);
        var ready =
            step.Redirects ? null
            : arrival.Counts ? await sections.ShowAsync(routes, page, visit, arrival.Known, recorded)
            : hosted.Page(routes, page);
        await recorded;
        if (ready is null or { OwnAddressOnly: true })
        {
            var query = step.Carries.Select(visit.Query);
            Onward.Redirect(
                http,
                ServedPages.Folder(page) + Consent.WithVisitor(http, routes, tokens, visit.Visitor, query, visit.At)
            );
            return;
        }
        http.Response.Headers.Link = ready.Canonical;
        // What search engines list at the link is the page kept, not one that is being tried.
        if (page.Id != step.Page?.Id && !page.IsIndexed)
            http.Response.Headers["X-Robots-Tag"] = "noindex";
        await FileResponse.Write(http, ready.File, FileResponse.Caching.Never);
    }

    private static void CountMe(HttpContext http)
    {
        http.Response.Give(RequestClassification.CountMeCookie, "1", RequestClassification.Sitting);
        http.Response.Give(RequestClassification.TryCookie, "", TimeSpan.Zero);
    }
}
