using System.Net;
using Microsoft.Extensions.Primitives;

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
        connection.RemoteIpAddress = Named(headers[Chain]);
    }

    /// <summary>
    /// The address that a proxy itself saw, which is the last one named, with or without a port; null where it says
    /// none, as in "unknown".
    /// </summary>
    private static IPAddress? Named(StringValues chain)
    {
        if (chain.Count == 0)
            return null;
        var last = chain[^1].AsSpan();
        last = last[(last.LastIndexOf(',') + 1)..].Trim();
        // A port stands behind an address of IPv4, or behind the brackets of one of IPv6.
        var colon = last.LastIndexOf(':');
        if (colon >= 0 && (last.IndexOf(':') == colon || last[colon - 1] == ']'))
            last = last[..colon];
        if (last is ['[', .. var inner, ']'])
            last = inner;
        return IPAddress.TryParse(last, out var address) ? address : null;
    }

    /// <summary>A request without an address comes over a unix socket, which only the owner's proxy can open.</summary>
    private bool IsTrusted(IPAddress? address) =>
        address is null
        || (proxies.Count > 0 && proxies.Contains(address.IsIPv4MappedToIPv6 ? address.MapToIPv4() : address));
}
