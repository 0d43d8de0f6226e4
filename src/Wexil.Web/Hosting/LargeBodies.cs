using Microsoft.AspNetCore.Http.Features;

namespace Wexil.Web.Hosting;

/// <summary>
/// Takes few large bodies of strangers at a time, since each is in memory until it has come. Whoever sends a small one
/// never waits for that, nor does whoever is signed in.
/// </summary>
public sealed class LargeBodies(RequestDelegate next)
{
    /// <summary>What is no larger, in bytes, has room beside its connection.</summary>
    public const int Small = 8 << 10;

    /// <summary>Large bodies of all, and of one network, at a time: 32 MB with their buffers.</summary>
    public const int AtOnce = 256,
        OfOne = AtOnce / 8;

    private const string RetryAfter = "60";

    private readonly NetworkPlaces _places = new(AtOnce, OfOne);

    public Task Invoke(HttpContext http) =>
        IsLarge(http.Request) && http.User.Identity?.IsAuthenticated != true ? TakeAsync(http) : next(http);

    private async Task TakeAsync(HttpContext http)
    {
        using var place = _places.Take(http.Connection.RemoteIpAddress);
        if (place is not null)
        {
            await next(http);
            return;
        }
        http.Response.StatusCode = StatusCodes.Status503ServiceUnavailable;
        http.Response.Headers.RetryAfter = RetryAfter;
        http.Response.Headers.Connection = "close";
    }

    /// <summary>A body that does not say how long it is may be of any length.</summary>
    private static bool IsLarge(HttpRequest request) =>
        request.ContentLength is { } length
            ? length > Small
            : request.HttpContext.Features.Get<IHttpRequestBodyDetectionFeature>()?.CanHaveBody == true;
}
