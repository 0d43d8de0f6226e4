using System.Collections.Concurrent;
using System.Net;
using Microsoft.AspNetCore.Connections;

namespace Wexil.Web.Hosting;

/// <summary>
/// Ends connections of a network that has very many open, so that it takes none from others. The owner's proxies, and
/// programs on this machine, stand for many people and are not counted.
/// </summary>
/// <param name="proxies">Addresses that are not counted.</param>
public sealed class ConnectionCap(IReadOnlyCollection<IPAddress> proxies)
{
    /// <summary>So many one network may have open: a telephone company's customers may share an address.</summary>
    public const int MostOfOne = 500;

    private readonly ConcurrentDictionary<string, int> _open = [];

    /// <summary>How many networks are counted at present.</summary>
    public int Networks => _open.Count;

    /// <summary>Stands before a door.</summary>
    public ConnectionDelegate Before(ConnectionDelegate next) =>
        async connection =>
        {
            if (NetworkOf(connection) is not { } network)
            {
                await next(connection);
                return;
            }
            try
            {
                if (_open.AddOrUpdate(network, 1, (_, open) => open + 1) <= MostOfOne)
                    await next(connection);
                else
                    connection.Abort();
            }
            finally
            {
                Close(network);
            }
        };

    private void Close(string network)
    {
        _open.AddOrUpdate(network, 0, (_, open) => open - 1);
        // Nothing is kept of a network that has left.
        _open.TryRemove(KeyValuePair.Create(network, 0));
    }

    private string? NetworkOf(ConnectionContext connection)
    {
        if (connection.RemoteEndPoint is not IPEndPoint { Address: var seen })
            return null;
        var address = seen.IsIPv4MappedToIPv6 ? seen.MapToIPv4() : seen;
        return IPAddress.IsLoopback(address) || proxies.Contains(address) ? null : NetworkName.Of(address);
    }
}
