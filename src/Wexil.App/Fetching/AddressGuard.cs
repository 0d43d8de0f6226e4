using System.Net;
using System.Net.Sockets;

namespace Wexil.App.Fetching;

/// <summary>An address that the server does not fetch from, because it leads into somebody's own network.</summary>
public sealed class PrivateAddressException(string host)
    : IOException(
        $"{host} is on a private network, so Wexil does not open it. If it is yours, allow private addresses in "
            + "Settings."
    );

/// <summary>
/// Tells public addresses from private ones. Asked at the moment of connecting, so that neither a redirect nor a name
/// that changes its address gets around it.
/// </summary>
public static class AddressGuard
{
    // Everything that IANA's special-purpose registries do not call globally reachable, and the blocks that wrap an
    // IPv4 address.
    private static readonly IPNetwork[] NotPublic =
    [
        .. new[]
        {
            "0.0.0.0/8",
            "10.0.0.0/8",
            "100.64.0.0/10",
            "127.0.0.0/8",
            "169.254.0.0/16",
            "172.16.0.0/12",
            "192.0.0.0/24",
            "192.0.2.0/24",
            "192.88.99.0/24",
            "192.168.0.0/16",
            "198.18.0.0/15",
            "198.51.100.0/24",
            "203.0.113.0/24",
            "224.0.0.0/4",
            "240.0.0.0/4",
            "::/96",
            "64:ff9b::/96",
            "64:ff9b:1::/48",
            "100::/64",
            "2001::/23",
            "2001:db8::/32",
            "2002::/16",
            "fc00::/7",
            "fe80::/10",
            "fec0::/10",
            "ff00::/8",
        }.Select(network => IPNetwork.Parse(network)),
    ];

    /// <summary>Is the address one that anybody may reach, and no private, local or reserved one?</summary>
    public static bool IsPublic(IPAddress address)
    {
        if (address.IsIPv4MappedToIPv6)
            address = address.MapToIPv4();
        return !NotPublic.Any(network =>
            network.BaseAddress.AddressFamily == address.AddressFamily && network.Contains(address)
        );
    }

    /// <summary>Opens a connection to a host by one of its addresses that may be connected to.</summary>
    /// <exception cref="PrivateAddressException">It has none that is public, and private ones are not
    /// allowed.</exception>
    public static async ValueTask<Stream> ConnectAsync(string host, int port, bool allowPrivate, CancellationToken stop)
    {
        var addresses = await Dns.GetHostAddressesAsync(host, stop);
        var allowed = allowPrivate ? addresses : [.. addresses.Where(IsPublic)];
        if (allowed.Length == 0)
            throw new PrivateAddressException(host);
        var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
        try
        {
            await socket.ConnectAsync(allowed, port, stop);
            return new NetworkStream(socket, ownsSocket: true);
        }
        catch
        {
            socket.Dispose();
            throw;
        }
    }
}
