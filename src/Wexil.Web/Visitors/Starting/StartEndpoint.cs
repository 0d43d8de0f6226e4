using System.Text.Json;
using Wexil.App;
using Wexil.App.Installation;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors.Starting;

/// <summary>
/// For owners whose ads point at a page of their own: the loader in that page asks, before it is painted, whether the
/// visitor stays or moves on. Nothing is recorded by asking; moving is recorded by the link, staying by the loader's
/// word.
/// </summary>
public sealed class StartEndpoint(
    VisitService visits,
    VisitorToken tokens,
    Arrivals arrivals,
    OutsideVisitors outside,
    Beacons beacons,
    VisitorsAddress address,
    LastSeen seen,
    TimeProvider time
) : IVisitorsEndpoint
{
    private const string Stays = "stays";

    public void Map(IEndpointRouteBuilder routes)
    {
        routes.MapGet("/start/{slug}.js", Answer);
        routes.MapPost("/start/{slug}/stayed", Stayed);
    }

    private async Task Answer(HttpContext http)
    {
        var slug = http.Part("slug");
        http.Response.Headers.CacheControl = "no-store";
        http.Response.Headers.XContentTypeOptions = "nosniff";
        http.Response.ContentType = "text/javascript; charset=utf-8";
        var now = time.GetUtcNow();
        var caller = RequestClassification.From(http, http.Routes());
        if (http.Routes().Step(slug) is not { } step || !caller.Counts)
        {
            await http.Response.WriteAsync("wexilStart(\"\",\"\",\"\")");
            return;
        }
        seen.NoteStart(slug, now);
        var (visitor, known) = outside.Identify(http, step, now);
        if (step.StartsOnPage)
            VisitorCookie.ShowElsewhere(http, http.Routes(), visitor);
        var query = AddressQuery.Value(http.Request.QueryString.Value ?? "", "at") ?? "";
        // The traits are those of the page's own address, not of the question.
        var asked = arrivals.Read(http, http.Routes(), step, visitor, known, caller.Device, query, now);
        var page = visits.Peek(http.Routes(), step, asked, known)?.Page;
        // The link records the visit; the promise keeps the page that was drawn here.
        var promise = beacons.Promise(visitor, page, now);
        var move = Moves(step, page)
            ? new OutsideAddress(new(address.Link(slug))).With(
                query,
                ("wx", tokens.Issue(visitor, now)),
                ("wx_start", promise)
            )
            : "";
        var proof = beacons.Write(Stays, visitor, promise, query, now);
        var arguments = new[] { visitor.ToString(), move, proof }.Select(value => JsonSerializer.Serialize(value));
        await http.Response.WriteAsync($"wexilStart({string.Join(',', arguments)})");
    }

    /// <summary>The loader says that the visitor stayed: drawn for the page, or because we were late.</summary>
    private async Task Stayed(HttpContext http)
    {
        http.Response.StatusCode = StatusCodes.Status204NoContent;
        if (
            http.Routes().Step(http.Part("slug")) is not { } step
            || await beacons.ReadAsync(http, Stays, step, time.GetUtcNow()) is not { } told
        )
            return;
        if (told.IsLate)
            await visits.StayLateAsync(step, told.Visit);
        else
            await visits.VisitAsync(http.Routes(), step, told.Visit, told.Known, told.Promised);
    }

    /// <summary>
    /// Is the page another than the one where the visitor is? Two pages of one address are one, and lead back here.
    /// </summary>
    private static bool Moves(RouteStep step, RoutePage? page)
    {
        var control = step.Test?.Pages[step.Test.Control] ?? step.Page;
        if (page is null || page.Id == control?.Id)
            return false;
        return page.Outside is not { } there || control?.Outside is not { } own || !there.IsSamePage(own);
    }
}
