using System.Net;

namespace Wexil.Web.Hosting;

/// <summary>
/// Takes a trusted proxy's word for whom it asks, and nobody else's: what comes in behind this has the address of the
/// browser, and headers about it only from such a proxy.
/// </summary>
/// <param name="proxies">Their addresses.</param>
/// <param name="countryHeader">The header in which they say the country; null for none.</param>
public sealed class TrustedProxies(IReadOnlyCollection<IPAddress> proxies, string? countryHeader)
{
    private const string Chain = "X-Forwarded-For";

    /// <summary>Corrects a request, and hands it on.</summary>
    public Task Invoke(HttpContext http, RequestDelegate next)
    {
        Correct(http);
        return next(http);
    }

    /// <summary>Corrects a request.</summary>
    public void Correct(HttpContext http)
    {
        var (connection, headers) = (http.Connection, http.Request.Headers);
        if (!IsTrusted(connection.RemoteIpAddress))
        {
            if (countryHeader is not null)
                headers.Remove(countryHeader);
            return;
        }
        // The last one named is the one that the proxy itself saw.
        var chain = headers[Chain].ToString().AsSpan();
        connection.RemoteIpAddress = IPAddress.TryParse(chain[(chain.LastIndexOf(',') + 1)..].Trim(), out var browser)
            ? browser
            : null;
    }

    /// <summary>A request without an address comes over a unix socket, which only the owner's proxy can open.</summary>
    private bool IsTrusted(IPAddress? address) =>
        address is null
        || (proxies.Count > 0 && proxies.Contains(address.IsIPv4MappedToIPv6 ? address.MapToIPv4() : address));
}
