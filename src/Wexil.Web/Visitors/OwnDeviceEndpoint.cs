using Wexil.App;
using Wexil.App.Tickets;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>GET /mine/{ticket}</c>: marks a device as the owner's, so that its visits are left out; <c>GET /mine/off</c>
/// takes the mark off.
/// </summary>
public sealed class OwnDeviceEndpoint(OwnDeviceTickets tickets, StudioAddress studio) : IVisitorsEndpoint
{
    public void Map(IEndpointRouteBuilder routes) => routes.MapGet("/mine/{ticket}", Answer);

    private Task Answer(HttpContext http)
    {
        var ticket = http.Part("ticket");
        http.Response.Headers.CacheControl = "no-store";
        if (ticket == "off")
        {
            Set(http, "", 0);
            return PlainPage.Write(http, StatusCodes.Status200OK, "Visits from this device are counted again.");
        }
        if (!tickets.IsValid(ticket))
            return PlainPage.Write(
                http,
                StatusCodes.Status404NotFound,
                "This link has expired. Get a new one in Settings."
            );
        Set(http, "1", 400 * 86400);
        if (!http.Request.Query.ContainsKey("signing-in"))
            return PlainPage.Write(http, StatusCodes.Status200OK, "Visits from this device are no longer counted.");
        Onward.Redirect(http, studio.Origin + "/signed-in");
        return Task.CompletedTask;
    }

    private static void Set(HttpContext http, string value, int seconds) =>
        http.Response.Give(RequestClassification.OwnDeviceCookie, value, TimeSpan.FromSeconds(seconds));
}
