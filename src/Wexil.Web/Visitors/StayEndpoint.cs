using Wexil.App.Visits;
using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>POST /stay</c>: the script on a page says how long a visitor was there, and whether anything was done.
/// </summary>
public sealed class StayEndpoint(VisitService visits, IdentityStore identities, VisitorToken tokens, TimeProvider time)
    : IVisitorsEndpoint
{
    /// <summary>Nobody reads a page for longer at a stretch.</summary>
    private static readonly TimeSpan MaxStay = TimeSpan.FromHours(1);

    public void Map(IEndpointRouteBuilder routes) => routes.MapPost("/stay", Answer);

    private async Task Answer(HttpContext http)
    {
        if (await ScriptMessage.Read(http) is not var (message, address))
            return;
        http.Response.StatusCode = StatusCodes.Status204NoContent;
        var now = time.GetUtcNow();
        if (
            message.From(http, http.Routes(), identities, tokens, now) is not { } visitor
            || message.On(http.Routes(), address, visitor, visits) is not { } page
            || !message.Counts(http, http.Routes())
        )
            return;
        var stretch = double.IsFinite(message.Milliseconds)
            ? Math.Clamp(message.Milliseconds, 0, MaxStay.TotalMilliseconds)
            : 0;
        await visits.StayAsync(page, visitor, new((long)stretch, message.Engaged), now);
    }
}
