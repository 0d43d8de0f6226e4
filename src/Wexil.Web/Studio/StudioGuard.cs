using Wexil.Web.Shared;

namespace Wexil.Web.Studio;

/// <summary>
/// Holds the door: only requests to Studio's own host, posts only from its own pages, and a content policy under which nothing
/// runs but what Wexil ships. Marketers' pages are framed from the visitors' host alone.
/// </summary>
public sealed class StudioGuard(RequestDelegate next, StudioAddress studio, VisitorsAddress visitors)
{
    private readonly string _policy =
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; "
        + $"frame-src {visitors.Origin}; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

    public Task Invoke(HttpContext http)
    {
        var request = http.Request;
        // Another name that leads here would be another site's page reading ours.
        if (!string.Equals(request.Host.Host, studio.Address.Host, StringComparison.OrdinalIgnoreCase))
            return Refuse(http, StatusCodes.Status421MisdirectedRequest, $"Studio is at {studio.Origin}.");
        if (HttpMethods.IsPost(request.Method) && request.Headers.Origin is [{ } origin] && origin != studio.Origin)
            return Refuse(http, StatusCodes.Status403Forbidden, "This did not come from Studio.");

        var headers = http.Response.Headers;
        headers.ContentSecurityPolicy = _policy;
        headers.XContentTypeOptions = "nosniff";
        headers["Referrer-Policy"] = "same-origin";
        headers["Cross-Origin-Opener-Policy"] = "same-origin";
        return next(http);
    }

    private static Task Refuse(HttpContext http, int status, string why)
    {
        http.Response.StatusCode = status;
        return http.Response.WriteAsync(why);
    }
}
