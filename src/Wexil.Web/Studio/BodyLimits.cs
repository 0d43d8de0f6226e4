using Microsoft.AspNetCore.Http.Features;

namespace Wexil.Web.Studio;

/// <summary>
/// Bounds what a request may hold before a byte of it is read: little from strangers, a form from who is signed in, and
/// more only where a screen takes files. Files go to disk as they come.
/// </summary>
public sealed class BodyLimits(RequestDelegate next)
{
    /// <summary>The largest request, in bytes, where no file is taken.</summary>
    public const long Stranger = 64 << 10,
        Form = 1 << 20;

    private static readonly object RefusedAt = new();

    /// <summary>The limit that a request was refused at, in bytes; null when it was not.</summary>
    public static long? Refused(HttpContext http) => http.Items[RefusedAt] as long?;

    public Task Invoke(HttpContext http)
    {
        // What goes wrong on a screen is told by another one, whose limit is not the question any more.
        if (http.IsTellingOfProblem())
            return next(http);
        var limit =
            http.User.Identity?.IsAuthenticated != true
                ? Stranger
                : http.GetEndpoint()?.Metadata.GetMetadata<UploadLimitAttribute>()?.Bytes ?? Form;
        if (http.Features.Get<IHttpMaxRequestBodySizeFeature>() is { IsReadOnly: false } body)
            body.MaxRequestBodySize = limit;
        if (http.Request.ContentLength is not { } length || length <= limit)
            return next(http);
        http.Items[RefusedAt] = limit;
        // The screen that tells of it must not read what was refused.
        (http.Request.Body, http.Request.ContentType, http.Request.ContentLength) = (Stream.Null, null, null);
        http.Response.StatusCode = StatusCodes.Status413PayloadTooLarge;
        return Task.CompletedTask;
    }
}
