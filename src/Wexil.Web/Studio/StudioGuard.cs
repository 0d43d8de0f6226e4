using System.Buffers.Text;
using System.Security.Cryptography;
using Wexil.App;

namespace Wexil.Web.Studio;

/// <summary>
/// Holds the door: posts only from its own pages, and a content policy under which nothing runs but what Wexil ships.
/// Marketers' pages are framed from the visitors' host alone.
/// </summary>
public sealed class StudioGuard(RequestDelegate next, StudioAddress studio, VisitorsAddress visitors)
{
    /// <summary>Where a screen finds the nonce that lets the source view write its own styles.</summary>
    public const string Nonce = "nonce";

    // Pictures of the marketer's pages come by the hash of what they hold, from the visitors' host.
    private readonly string _policy =
        $"default-src 'none'; script-src 'self'; img-src 'self' data: {visitors.Origin}/a/; font-src 'self'; "
        + "connect-src 'self'; "
        + $"frame-src {visitors.Origin}; form-action 'self'; base-uri 'none'; frame-ancestors 'none'; ";

    public Task Invoke(HttpContext http)
    {
        var request = http.Request;
        if (HttpMethods.IsPost(request.Method) && request.Headers.Origin is [{ } origin] && origin != studio.Origin)
        {
            http.Response.StatusCode = StatusCodes.Status403Forbidden;
            return http.Response.WriteAsync("This request did not come from Wexil.");
        }

        var headers = http.Response.Headers;
        var nonce = Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(16));
        http.Items[Nonce] = nonce;
        headers.ContentSecurityPolicy = $"{_policy}style-src 'self' 'nonce-{nonce}'";
        headers.XContentTypeOptions = "nosniff";
        headers["Referrer-Policy"] = "same-origin";
        headers["Cross-Origin-Opener-Policy"] = "same-origin";
        return next(http);
    }
}
