using System.Text.Json;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary>What the script on a page says.</summary>
/// <param name="Page">The address of the page, as the browser shows it.</param>
/// <param name="At">The slug of a page hosted here; null elsewhere.</param>
/// <param name="Visitor">The id from an outside site's own cookie; wins over the token.</param>
/// <param name="Wx">The token that came in the address.</param>
/// <param name="Milliseconds">How long a stretch of a stay was.</param>
/// <param name="Engaged">Something was done on the page.</param>
public sealed record ScriptMessage(
    string? Page,
    string? At,
    string? Visitor,
    string? Wx,
    double Milliseconds,
    bool Engaged
)
{
    private const int MaxBodyBytes = 8 << 10;

    /// <summary>Reads a message; null, with the answer given, when it is none.</summary>
    public static async Task<(ScriptMessage Message, Uri Address)?> Read(HttpContext http)
    {
        http.Response.Headers.AccessControlAllowOrigin = "*";
        http.Response.Headers.CacheControl = "no-store";
        if (await BoundedBody.ReadAsync(http, MaxBodyBytes) is { Length: > 0 } body)
        {
            try
            {
                if (
                    JsonSerializer.Deserialize<ScriptMessage>(body, JsonSerializerOptions.Web) is { } message
                    && Uri.TryCreate(message.Page, UriKind.Absolute, out var address)
                    && address.Scheme is "http" or "https"
                )
                    return (message, address);
            }
            catch (JsonException)
            {
                // Answered below like everything that is no message.
            }
        }
        http.Response.StatusCode = StatusCodes.Status400BadRequest;
        return null;
    }

    /// <summary>Who says it; null for nobody that was sent here, whom nothing can be credited to.</summary>
    public VisitorId? From(
        HttpContext http,
        RouteTable routes,
        IdentityStore identities,
        VisitorToken tokens,
        DateTimeOffset now
    ) =>
        At is not null ? VisitorCookie.Own(http) ?? Consent.VisitorOf(http, routes, tokens, now)
        : VisitorId.TryParse(Visitor, out var own) ? identities.Resolve(own)
        : tokens.Read(Wx, now);

    /// <summary>The page of a step that it is said on; null where it is none.</summary>
    public RoutePage? On(RouteTable routes, Uri address, VisitorId visitor, VisitService visits) =>
        At is not null
            ? routes.Page(At) is { Outside: null } hosted
                ? hosted
                : null
            : visits.PageAt(routes, address, visitor);

    /// <summary>
    /// Does what is said count? Robots do not, nor the owner, whose devices are known on pages hosted here.
    /// </summary>
    public bool Counts(HttpContext http, RouteTable routes) =>
        At is not null
            ? RequestClassification.From(http, routes).Counts
            : !RequestClassification.AsksForPrivacy(http.Request, routes)
                && !Agents.Classify(http.Request.Headers.UserAgent).IsRobot;
}
