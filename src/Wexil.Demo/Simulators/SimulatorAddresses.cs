using System.Net;
using System.Net.Sockets;
using Wexil.Store;

namespace Wexil.Demo.Simulators;

/// <summary>
/// Where the demo's simulated site, till and ad network listen. Each has a host of its own, as their real counterparts
/// have.
/// </summary>
public sealed record SimulatorAddresses(Uri Site, Uri Till, Uri Network)
{
    public const int DefaultPort = 5082;

    public static readonly SimulatorAddresses Default = From(DefaultPort);

    /// <param name="port">The first of three ports in a row.</param>
    public static SimulatorAddresses From(int port) =>
        new(new($"http://127.0.0.2:{port}"), new($"http://127.0.0.3:{port + 1}"), new($"http://127.0.0.4:{port + 2}"));

    /// <exception cref="StoreException">One of them is taken; says which option chooses others.</exception>
    public void CheckFree(string option)
    {
        foreach (var address in new[] { Site, Till, Network })
        {
            using var listener = new TcpListener(IPAddress.Parse(address.Host), address.Port);
            try
            {
                listener.Start();
            }
            catch (SocketException error)
            {
                throw new StoreException(
                    $"The demo’s simulators cannot listen on {address.Authority}: {error.Message}. Is another "
                        + $"demo running? Use {option} to choose other ports, with --fresh.",
                    error
                );
            }
        }
    }
}
