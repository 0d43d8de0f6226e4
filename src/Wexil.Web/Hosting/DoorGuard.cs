using System.Diagnostics;
using System.Security.Cryptography;
using System.Text;
using Wexil.App.Health;
using Wexil.Store.Recording;

namespace Wexil.Web.Hosting;

/// <summary>
/// What comes first at either door: whether the program is alive and ready, and its figures, for whoever watches it;
/// then only requests to the door's own names, as https where browsers see https.
/// </summary>
/// <param name="address">The door's address as browsers see it.</param>
/// <param name="names">Further names that lead to it.</param>
/// <param name="counts">Where the door's answers are counted.</param>
/// <param name="metrics">The figures; null where this door does not tell them.</param>
/// <param name="metricsKey">Whoever knows it is told the figures; null for nobody.</param>
internal sealed class DoorGuard(
    Uri address,
    IReadOnlyCollection<string> names,
    Journal journal,
    RequestCounts counts,
    Metrics? metrics = null,
    string? metricsKey = null
)
{
    /// <summary>For a year, browsers come by https only, whatever a link says.</summary>
    private const string StrictTransport = "max-age=31536000";

    private readonly string[] _names = [address.Host, .. names];
    private readonly string _elsewhere =
        $"This host name does not lead here. {address.GetLeftPart(UriPartial.Authority)} does.";
    private readonly bool _isHttps = address.Scheme == Uri.UriSchemeHttps;

    /// <summary>Lets a request in, or answers it.</summary>
    public async Task Invoke(HttpContext http, RequestDelegate next)
    {
        var began = Stopwatch.GetTimestamp();
        var seat = http.Features.Get<SeatedConnection>();
        seat?.Begin();
        try
        {
            await AnswerAsync(http, next);
            Count(http, http.Response.StatusCode, began);
        }
        catch (Exception) when (!http.RequestAborted.IsCancellationRequested)
        {
            Count(http, StatusCodes.Status500InternalServerError, began);
            throw;
        }
        finally
        {
            seat?.End();
        }
    }

    private Task AnswerAsync(HttpContext http, RequestDelegate next)
    {
        var path = http.Request.Path.Value;
        if (path == "/health")
            return Say(http, StatusCodes.Status200OK, "alive");
        if (path == "/ready")
            return IsReady
                ? Say(http, StatusCodes.Status200OK, "ready")
                : Say(http, StatusCodes.Status503ServiceUnavailable, "not ready");
        if (path == "/metrics" && metrics is not null && KnowsKey(http.Request))
            return Say(http, StatusCodes.Status200OK, metrics.Write().TrimEnd());
        if (!IsOurs(http.Request.Host.Value))
            return Say(http, StatusCodes.Status421MisdirectedRequest, _elsewhere);
        if (_isHttps)
        {
            // The proxy speaks http with us; cookies and redirects are for the browser, which speaks https with it.
            http.Request.Scheme = Uri.UriSchemeHttps;
            http.Response.Headers.StrictTransportSecurity = StrictTransport;
        }
        return next(http);
    }

    private void Count(HttpContext http, int status, long began)
    {
        counts.Add(status);
        var took = Stopwatch.GetElapsedTime(began);
        // A live feed stays open for hours, as it should.
        if (took >= RequestCounts.Slow && http.Response.ContentType != "text/event-stream")
            counts.AddSlow((http.GetEndpoint() as RouteEndpoint)?.RoutePattern.RawText ?? "another address", took);
    }

    private bool KnowsKey(HttpRequest request) =>
        metricsKey is not null
        && CryptographicOperations.FixedTimeEquals(
            Encoding.UTF8.GetBytes(request.Headers.Authorization.ToString()),
            Encoding.UTF8.GetBytes($"Bearer {metricsKey}")
        );

    private bool IsReady => journal.Health.Trouble is null;

    private bool IsOurs(ReadOnlySpan<char> host)
    {
        // Behind the last colon is the port, unless it is one within the brackets of an IPv6 address.
        var colon = host.LastIndexOf(':');
        var name = colon > host.LastIndexOf(']') ? host[..colon] : host;
        foreach (var ours in _names)
            if (name.Equals(ours, StringComparison.OrdinalIgnoreCase))
                return true;
        return false;
    }

    private static Task Say(HttpContext http, int status, string what)
    {
        http.Response.StatusCode = status;
        http.Response.ContentType = "text/plain; charset=utf-8";
        http.Response.Headers.CacheControl = "no-store";
        return http.Response.WriteAsync(what + "\n");
    }
}
