using System.Net.Sockets;
using Microsoft.AspNetCore.Server.Kestrel.Core;
using Wexil.Store;

namespace Wexil.Web.Hosting;

/// <summary>Where a door listens: on an address, on a unix socket, or on a socket that systemd opened.</summary>
internal static class DoorListening
{
    /// <summary>The scheme of a unix socket's address, as in unix:/run/wexil/studio.sock.</summary>
    public const string UnixScheme = "unix";

    /// <param name="handle">The socket that was handed in; null for none.</param>
    /// <exception cref="StoreException">Another program listens on that unix socket.</exception>
    public static void ListenAt(this IWebHostBuilder web, Uri address, ulong? handle)
    {
        if (handle is { } opened)
        {
            web.ConfigureKestrel(kestrel => kestrel.ListenHandle(opened));
            return;
        }
        if (address.Scheme != UnixScheme)
        {
            web.UseUrls(address.GetLeftPart(UriPartial.Authority));
            return;
        }
        RemoveStale(address.AbsolutePath);
        web.ConfigureKestrel(kestrel => kestrel.ListenUnixSocket(address.AbsolutePath));
    }

    /// <summary>A program that was killed leaves its socket behind, and nobody listens there.</summary>
    private static void RemoveStale(string path)
    {
        if (!File.Exists(path))
            return;
        using var socket = new Socket(AddressFamily.Unix, SocketType.Stream, ProtocolType.Unspecified);
        try
        {
            socket.Connect(new UnixDomainSocketEndPoint(path));
        }
        catch (SocketException error) when (error.SocketErrorCode == SocketError.ConnectionRefused)
        {
            File.Delete(path);
            return;
        }
        catch (SocketException error)
        {
            throw new StoreException($"{path} cannot be listened on: {error.Message}", error);
        }
        throw new StoreException($"Another program listens on {path}.");
    }
}
