using Wexil.App.Installation;
using Wexil.App.Serving;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors.Starting;

/// <summary>
/// For sections on outside pages: the line in the page asks which version its visitor is shown, and tells what was
/// painted. Nothing is recorded by asking.
/// </summary>
public sealed class SectionEndpoint(
    VisitService visits,
    Beacons beacons,
    Arrivals arrivals,
    OutsideVisitors outside,
    HostedPages hosted,
    LastSeen seen,
    TimeProvider time
) : IVisitorsEndpoint
{
    private const string Painted = "shown";

    public void Map(IEndpointRouteBuilder routes)
    {
        routes.MapGet("/section/{key}", Answer);
        routes.MapPost("/section/{key}/shown", Shown);
    }

    private async Task Answer(HttpContext http)
    {
        http.Response.Headers.CacheControl = "no-store";
        // Any site may ask: what is answered is what its visitors are shown.
        if (http.Request.Headers.Origin is [{ Length: > 0 } origin])
        {
            http.Response.Headers.AccessControlAllowOrigin = origin;
            http.Response.Headers.AccessControlAllowCredentials = "true";
            http.Response.Headers.Vary = "Origin";
        }
        var routes = http.Routes();
        var section = routes.Section(http.Part("key"));
        var query = AddressQuery.Value(http.Request.QueryString.Value ?? "", "at") ?? "";
        var caller = RequestClassification.From(http, routes);
        await http.Response.WriteAsJsonAsync(
            section is null ? new("", null, "")
            : ChosenVersions.AreIn(query) ? Shows(ChosenVersions.Of(section, ChosenVersions.In(routes, query)))
            : caller.Counts ? Draw(http, section, caller, query)
            : Shows(section.Page)
        );
    }

    /// <param name="Visitor">The id that the page keeps; empty for nobody who counts.</param>
    /// <param name="Html">In the part's place; null to leave what stands there.</param>
    /// <param name="Told">What the page says once it is painted.</param>
    private sealed record SectionAnswer(string Visitor, string? Html, string Told);

    private SectionAnswer Shows(RoutePage? version) =>
        new("", version is null ? null : hosted.VersionElsewhere(version), "");

    private SectionAnswer Draw(HttpContext http, RouteStep section, RequestClassification caller, string query)
    {
        var now = time.GetUtcNow();
        seen.NoteSection(section.Slug, now);
        var (asks, known) = outside.Identify(http, section, now);
        var visit = arrivals.Read(http, http.Routes(), section, asks, known, caller.Device, query, now);
        var version = visits.Peek(http.Routes(), section, visit, known)?.Page;
        return Shows(version) with
        {
            Visitor = asks.ToString(),
            Told = beacons.Write(Painted, asks, beacons.Promise(asks, version, now), query, now),
        };
    }

    /// <summary>
    /// The page says what it painted: the version promised, or what stood there, because we were late.
    /// </summary>
    private async Task Shown(HttpContext http)
    {
        http.Response.StatusCode = StatusCodes.Status204NoContent;
        var now = time.GetUtcNow();
        if (
            http.Routes().Section(http.Part("key")) is not { } section
            || await beacons.ReadAsync(http, Painted, section, now) is not { } told
        )
            return;
        var reached = ReachAsync(http.Routes(), section, told.Visit.Visitor, now);
        if (told.IsLate)
            await visits.StayLateAsync(section, told.Visit);
        else
            await visits.ShowSectionsAsync(http.Routes(), [section], told.Visit, told.Known, told.Promised);
        await reached;
    }

    // A visitor who sees a part of a page is on it, and in the funnel. Nothing else may have reported it, since the
    // page’s own script knows no visitor before there is an id.
    private Task ReachAsync(RouteTable routes, RouteStep section, VisitorId visitor, DateTimeOffset now) =>
        routes.Step(section.Host!.Value)?.Page is { Outside: not null } page
            ? visits.ReachAsync(page, visitor, now)
            : Task.CompletedTask;
}
