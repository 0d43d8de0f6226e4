using System.Net;
using System.Net.Sockets;
using Microsoft.Extensions.DependencyInjection;
using Wexil.Store;

namespace Wexil.Bench.Faults;

/// <summary>A mail server whose greeting has no end.</summary>
public sealed class EndlessMail : IDisposable
{
    private readonly TcpListener _server = new(IPAddress.Loopback, 0);

    public EndlessMail()
    {
        _server.Start();
        _ = GreetAsync();
    }

    public Uri Address => new($"smtp://127.0.0.1:{((IPEndPoint)_server.LocalEndpoint).Port}");

    /// <summary>What it sent so far, in bytes.</summary>
    private long _sent;

    private int _calls;

    /// <summary>Has the program send a mail to everyone who opts in.</summary>
    public static Task FurnishAsync(FaultWorld world, IServiceProvider services) =>
        services.GetRequiredService<OptInStore>().SetAsync(world.Step, OptInSettings.Default with { Confirms = true });

    public async Task<string> WaitAsync(FaultWorld _)
    {
        await Task.Delay(TimeSpan.FromSeconds(20));
        return $"called {_calls} times, left after {_sent / Math.Max(1, _calls) >> 10:N0} KB each";
    }

    public void Dispose() => _server.Dispose();

    private async Task GreetAsync()
    {
        var line = new byte[64 << 10];
        Array.Fill(line, (byte)'2');
        while (true)
        {
            TcpClient accepted;
            try
            {
                accepted = await _server.AcceptTcpClientAsync();
            }
            catch (SocketException)
            {
                return;
            }
            using var client = accepted;
            Interlocked.Increment(ref _calls);
            try
            {
                while (true)
                {
                    await client.GetStream().WriteAsync(line);
                    Interlocked.Add(ref _sent, line.Length);
                }
            }
            catch (IOException)
            {
                // It was left.
            }
        }
    }
}
