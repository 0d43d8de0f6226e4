using System.Text.Json;
using Wexil.App;
using Wexil.App.Installation;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store;
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
    IdentityStore identities,
    VisitorsAddress address,
    LastSeen seen,
    TimeProvider time
) : IVisitorsEndpoint
{
    private const int MaxBodyBytes = 4096;

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
        var caller = RequestClassification.From(http, visits.Routes);
        if (visits.Routes.Step(slug) is not { } step || !caller.Counts)
        {
            await http.Response.WriteAsync("wexilStart(\"\",\"\",\"\")");
            return;
        }
        seen.NoteStart(slug, now);
        var (visitor, known) = outside.Identify(http, step, now);
        if (step.StartsOnPage)
            VisitorCookie.ShowElsewhere(http, visitor);
        var query = AddressQuery.Value(http.Request.QueryString.Value ?? "", "at") ?? "";
        var asked = Visit(http, step, visitor, known, caller, query, now);
        var page = visits.Peek(step, asked, known)?.Page;
        // The link records the visit; the promise keeps the page that was drawn here.
        var promise = page is null ? "" : tokens.IssuePage(visitor, page.Id, now);
        var move = Moves(step, page)
            ? new OutsideAddress(new(address.Link(slug))).With(
                query,
                ("wx", tokens.Issue(visitor, now)),
                ("wx_start", promise)
            )
            : "";
        var proof = $"stays {tokens.Issue(visitor, now)} {promise} {query}";
        var arguments = new[] { visitor.ToString(), move, proof }.Select(value => JsonSerializer.Serialize(value));
        await http.Response.WriteAsync($"wexilStart({string.Join(',', arguments)})");
    }

    /// <summary>The loader says that the visitor stayed: drawn for the page, or because we were late.</summary>
    private async Task Stayed(HttpContext http)
    {
        http.Response.StatusCode = StatusCodes.Status204NoContent;
        var caller = RequestClassification.From(http, visits.Routes);
        if (
            visits.Routes.Step(http.Part("slug")) is not { } step
            || !caller.Counts
            || http.Request.ContentLength is null or > MaxBodyBytes
        )
            return;
        using var reader = new StreamReader(http.Request.Body);
        var words = (await reader.ReadToEndAsync(http.RequestAborted)).Split(' ', 4);
        var now = time.GetUtcNow();
        if (words is ["late", var id, ..])
        {
            var known = VisitorId.TryParse(id, out var elsewhere);
            await visits.StayLateAsync(
                step,
                Visit(
                    http,
                    step,
                    known ? identities.Resolve(elsewhere) : visits.NewVisitor(now),
                    known,
                    caller,
                    "",
                    now
                )
            );
        }
        else if (words is ["stays", var token, var promise, ..] && tokens.Read(token, now) is { } visitor)
            await visits.VisitAsync(
                step,
                Visit(http, step, visitor, known: true, caller, words.Length > 3 ? words[3] : "", now),
                known: true,
                tokens.ReadPage(promise, visitor, now)
            );
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

    // The traits are those of the page's own address, not of the question.
    private Visit Visit(
        HttpContext http,
        RouteStep step,
        VisitorId visitor,
        bool known,
        RequestClassification caller,
        string query,
        DateTimeOffset now
    ) => arrivals.Read(http, visits.Routes, step, visitor, known, caller.Device, query, now);
}
