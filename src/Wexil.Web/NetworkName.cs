using System.Net;
using System.Net.Sockets;

namespace Wexil.Web;

/// <summary>What one caller has of addresses: one of IPv4, or a whole network of IPv6.</summary>
internal static class NetworkName
{
    // The first 64 bits; behind them a caller takes any address that it likes.
    private const int BytesOfIpv6 = 8;

    /// <summary>Room for a whole address, in bytes.</summary>
    public const int LongestWide = 16;

    // What a provider gives out together, to a customer or a machine room.
    private const int WideBytesOfIpv4 = 3,
        WideBytesOfIpv6 = 6;

    /// <summary>The same for all addresses of a caller; empty where none is known.</summary>
    public static string Of(IPAddress? address) =>
        address switch
        {
            null => "",
            { IsIPv4MappedToIPv6: true } => address.MapToIPv4().ToString(),
            { AddressFamily: AddressFamily.InterNetworkV6 } => Convert.ToHexString(
                address.GetAddressBytes().AsSpan(0, BytesOfIpv6)
            ),
            _ => address.ToString(),
        };

    /// <summary>The network that an address is of, as a provider gives it out; empty where none is known.</summary>
    /// <param name="room">Where the name is written, <see cref="LongestWide"/> bytes.</param>
    public static ReadOnlySpan<byte> Wide(IPAddress? address, Span<byte> room)
    {
        if (address is null)
            return [];
        if (address.IsIPv4MappedToIPv6)
            address = address.MapToIPv4();
        address.TryWriteBytes(room, out _);
        return room[..(address.AddressFamily == AddressFamily.InterNetworkV6 ? WideBytesOfIpv6 : WideBytesOfIpv4)];
    }
}
