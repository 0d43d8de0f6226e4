using Wexil.App.Visits;
using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>POST /stay</c>: the script on a page says how long a visitor was there, and whether anything was done.
/// </summary>
public static class StayEndpoint
{
    /// <summary>Nobody reads a page for longer at a stretch.</summary>
    private static readonly TimeSpan MaxStay = TimeSpan.FromHours(1);

    public static async Task Answer(
        HttpContext http,
        VisitService desk,
        IdentityStore identities,
        VisitorToken tokens,
        TimeProvider time
    )
    {
        if (await ScriptMessage.Read(http) is not var (message, address))
            return;
        http.Response.StatusCode = StatusCodes.Status204NoContent;
        var now = time.GetUtcNow();
        if (
            message.From(http, identities, tokens, now) is not { } visitor
            || message.On(desk.Routes, address) is not { } page
            || !message.Counts(http, desk.Routes)
        )
            return;
        var stretch = double.IsFinite(message.Milliseconds)
            ? Math.Clamp(message.Milliseconds, 0, MaxStay.TotalMilliseconds)
            : 0;
        await desk.StayAsync(page, visitor, new((long)stretch, message.Engaged), now);
    }
}
