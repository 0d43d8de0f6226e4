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
    public void Map(IEndpointRouteBuilder routes) => routes.MapMethods("/go/{slug}", RouteParts.Read, Answer);

    private async Task Answer(HttpContext http)
    {
        http.Response.Headers.CacheControl = "no-store";
        var routes = http.Routes();
        if (routes.Step(http.Part("slug")) is not { } step)
        {
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "Page not found.");
            return;
        }
        var query = http.Request.QueryString.Value ?? "";
        if (step.Forward is { } forward)
        {
            Onward.Redirect(http, new OutsideAddress(new(forward)).With(query));
            return;
        }
        var now = time.GetUtcNow();
        // Hardly any address has a parameter of ours.
        var hasOurs = query.Contains("wx_", StringComparison.Ordinal);
        if (hasOurs && AddressQuery.Value(query, TryTickets.Parameter) is { Length: > 0 } ticket)
        {
            await new TryAnswer(visits, hosted, now).Answer(http, step, tickets.Open(ticket));
            return;
        }
        var caller = Classify(
            http,
            routes,
            hasOurs && AddressQuery.Value(query, RequestClassification.CountMeCookie) is not null
        );
        var (visitor, known) = caller.Counts
            ? VisitorCookie.Identify(http, visits, tokens, now)
            : VisitorCookie.Read(http, visits, tokens, now);
        if (caller.Counts && Consent.Redirects(http, routes, tokens, visitor, now))
            return;
        var visit = arrivals.Read(http, routes, step, visitor, known, caller.Device, query, now);
        var arrival = new Arrival(routes, step, visit, known, caller.Counts);
        var (page, recorded) = caller.Counts
            ? await CountAsync(http, arrival, hasOurs ? AddressQuery.Value(query, "wx_start") : null)
            : (PageForUncounted(caller, arrival), Task.CompletedTask);
        await Show(http, arrival, page, recorded);
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

    private async Task<(RoutePage? Page, Task Recorded)> CountAsync(HttpContext http, Arrival arrival, string? start)
    {
        var visit = arrival.Visit;
        var promised = start is null ? null : await PromisedAsync(visit, start, arrival.Step);
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
        return (turn?.Page, recorded);
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
    private async Task Show(HttpContext http, Arrival arrival, RoutePage? page, Task recorded)
    {
        var (routes, step, visit) = (arrival.Routes, arrival.Step, arrival.Visit);
        if (page is { Outside: null })
        {
            await ShowHosted(http, arrival, page, recorded);
            return;
        }
        await recorded;
        if (page is null)
            await PlainPage.Write(http, StatusCodes.Status404NotFound, PlainPage.NotAvailable);
        else
            Onward.Redirect(
                http,
                Onward.Address(
                    page.Outside!,
                    step,
                    page,
                    tokens.Issue(visit.Visitor, visit.At),
                    Arrivals.WithAffiliate(http, routes, step.Carries.Select(visit.Query)),
                    visit.At,
                    routes.PassThrough
                )
            );
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
