using Wexil.App.Health;
using Wexil.Web.Hosting;

namespace Wexil.Web.Studio;

/// <summary>
/// Keeps places at the owner's door for whoever is signed in: of all places, strangers' requests take half at most, and
/// those of one network an eighth. Behind a proxy it is the network that the proxy names.
/// </summary>
public sealed class StrangerPlaces(RequestDelegate next, DoorPlaces places)
{
    private const string Words = "Too many requests are under way here. Try again in a minute.";

    private readonly NetworkPlaces _places = new(Most(places).All, Most(places).OfOne);

    /// <summary>Requests of strangers, and of one network, that are answered at a time.</summary>
    public static (int All, int OfOne) Most(DoorPlaces places) => (places.Studio / 2, Math.Max(4, places.Studio / 8));

    public async Task Invoke(HttpContext http)
    {
        if (http.User.Identity?.IsAuthenticated == true || http.IsTellingOfProblem())
        {
            await next(http);
            return;
        }
        using var place = _places.Take(http.Connection.RemoteIpAddress);
        if (place is not null)
        {
            await next(http);
            return;
        }
        http.Response.StatusCode = StatusCodes.Status503ServiceUnavailable;
        http.Response.Headers.Connection = "close";
        if (http.Features.Get<SeatedConnection>() is { } seat)
            seat.Leaves = true;
        await http.Response.WriteAsync(Words);
    }
}
