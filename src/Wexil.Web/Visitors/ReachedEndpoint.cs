using System.Text.Json;
using Wexil.Core.Splits;

namespace Wexil.Web.Visitors;

/// <summary><c>POST /reached</c>: the script on an outside page says that a visitor is there.</summary>
public static class ReachedEndpoint
{
    private const int LongestBody = 8 << 10;

    /// <param name="Page">The address of the page, as the browser shows it.</param>
    /// <param name="Visitor">The id from the outside site's own cookie; wins over the token.</param>
    /// <param name="Wx">The token that came in the address.</param>
    private sealed record Message(string? Page, string? Visitor, string? Wx);

    public static async Task Answer(HttpContext http, VisitDesk desk, VisitorToken tokens, TimeProvider time)
    {
        http.Response.Headers.AccessControlAllowOrigin = "*";
        http.Response.Headers.CacheControl = "no-store";
        if (http.Request.ContentLength is null or > LongestBody || await Read(http) is not { } message
            || !Uri.TryCreate(message.Page, UriKind.Absolute, out var address) || address.Scheme is not ("http" or "https"))
        {
            http.Response.StatusCode = StatusCodes.Status400BadRequest;
            return;
        }
        var now = time.GetUtcNow();
        var visitor = VisitorId.TryParse(message.Visitor, out var own) ? own : tokens.Read(message.Wx, now);
        if (visitor is null)
        {
            // Nobody we sent: there is nothing to credit.
            http.Response.StatusCode = StatusCodes.Status204NoContent;
            return;
        }
        if (!Callers.Agents.Of(http.Request.Headers.UserAgent).IsRobot && desk.Routes.OutsidePage(address) is { } page) await desk.ReachAsync(page, visitor.Value, now);
        await http.Response.WriteAsJsonAsync(new { visitor = visitor.Value.ToString() });
    }

    private static async Task<Message?> Read(HttpContext http)
    {
        try
        {
            return await JsonSerializer.DeserializeAsync<Message>(http.Request.Body, JsonSerializerOptions.Web, http.RequestAborted);
        }
        catch (JsonException)
        {
            return null;
        }
    }
}
