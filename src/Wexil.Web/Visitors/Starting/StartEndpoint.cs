using System.Text.Json;
using Wexil.Core.Splits;
using Wexil.Web.Shared;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors.Starting;

/// <summary>
/// For owners whose ads point at a page of their own: the loader in that page asks, before it is painted, whether the visitor
/// stays or moves on. Nothing is recorded by asking; moving is recorded by the link, staying by the loader's word.
/// </summary>
public sealed class StartEndpoint(VisitDesk desk, VisitorToken tokens, Arrivals arrivals, VisitorsAddress address, LastSeen seen, TimeProvider time)
{
    private const int LongestBody = 4096;

    public async Task Answer(HttpContext http, string slug)
    {
        http.Response.Headers.CacheControl = "no-store";
        http.Response.Headers.XContentTypeOptions = "nosniff";
        http.Response.ContentType = "text/javascript; charset=utf-8";
        var now = time.GetUtcNow();
        var caller = Caller.Of(http, desk.Routes);
        if (desk.Routes.Step(slug) is not { } step || !caller.Counts)
        {
            await http.Response.WriteAsync("wexilStart(\"\",\"\",\"\")");
            return;
        }
        seen.NoteStart(slug, now);
        var known = VisitorId.TryParse(AddressQuery.Value(http.Request.QueryString.Value ?? "", "wx"), out var visitor);
        if (!known) visitor = desk.NewVisitor(now);
        var query = AddressQuery.Value(http.Request.QueryString.Value ?? "", "at") ?? "";
        var asked = Visit(http, step, visitor, known, caller, query, now);
        var page = desk.Peek(step, asked, known)?.Page;
        var control = step.Test?.Pages[step.Test.Control] ?? step.Page;
        var moves = page is not null && page.Id != control?.Id;
        // The link records the visit; the promise keeps the page that was drawn here.
        var promise = page is null ? "" : tokens.IssuePage(visitor, page.Id, now);
        var move = moves ? new OutsideAddress(new(address.Link(slug))).With(query, ("wx", tokens.Issue(visitor, now)), ("wx_start", promise)) : "";
        var proof = $"stays {tokens.Issue(visitor, now)} {promise} {query}";
        await http.Response.WriteAsync($"wexilStart({JsonSerializer.Serialize(visitor.ToString())},{JsonSerializer.Serialize(move)},{JsonSerializer.Serialize(proof)})");
    }

    /// <summary>The loader says that the visitor stayed: drawn for the page, or because we were late.</summary>
    public async Task Stayed(HttpContext http, string slug)
    {
        http.Response.StatusCode = StatusCodes.Status204NoContent;
        var caller = Caller.Of(http, desk.Routes);
        if (desk.Routes.Step(slug) is not { } step || !caller.Counts || http.Request.ContentLength is null or > LongestBody) return;
        using var reader = new StreamReader(http.Request.Body);
        var words = (await reader.ReadToEndAsync(http.RequestAborted)).Split(' ', 4);
        var now = time.GetUtcNow();
        if (words is ["late", var id, ..])
        {
            var known = VisitorId.TryParse(id, out var visitor);
            await desk.StayLateAsync(step, Visit(http, step, known ? visitor : desk.NewVisitor(now), known, caller, "", now));
        }
        else if (words is ["stays", var token, var promise, ..] && tokens.Read(token, now) is { } visitor)
            await desk.VisitAsync(step, Visit(http, step, visitor, known: true, caller, words.Length > 3 ? words[3] : "", now), known: true, tokens.ReadPage(promise, visitor, now));
    }

    // The traits are those of the page's own address, not of the question.
    private Visit Visit(HttpContext http, RouteStep step, VisitorId visitor, bool known, Caller caller, string query, DateTimeOffset now) =>
        arrivals.Of(http, desk.Routes, step, visitor, known, caller.Device, query, now);
}
