using System.Net;
using System.Net.Sockets;

namespace Wexil.Tests;

/// <summary>
/// Ports for the servers of tests, each given once a process. They lie below those that the system gives to outgoing
/// connections, so that none is taken between being found free and being used.
/// </summary>
internal static class FreePorts
{
    private const int First = 15_000,
        Count = 15_000;
    private static int _given = Environment.ProcessId * 101 % Count;

    public static int Next()
    {
        while (true)
        {
            var port = First + Interlocked.Increment(ref _given) % Count;
            try
            {
                using var listener = new TcpListener(IPAddress.Any, port);
                listener.Start();
                return port;
            }
            catch (SocketException)
            {
                // Somebody else has it.
            }
        }
    }
}
