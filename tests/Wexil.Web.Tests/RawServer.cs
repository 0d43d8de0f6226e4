using System.Net;
using System.Net.Sockets;
using System.Text;

namespace Wexil.Web.Tests;

/// <summary>
/// Answers every request with the bytes that it is told to, as no web server would; or never, where it waits to be
/// released.
/// </summary>
internal sealed class RawServer : IAsyncDisposable
{
    private readonly TcpListener _listener = new(IPAddress.Loopback, 0);
    private readonly CancellationTokenSource _ended = new();
    private int _asked;

    public RawServer(Func<string, byte[]> answer, SemaphoreSlim? released = null, bool speaksFirst = false)
    {
        _listener.Start();
        Address = new($"http://127.0.0.1:{((IPEndPoint)_listener.LocalEndpoint).Port}/");
        _ = Task.Run(async () =>
        {
            while (await _listener.AcceptTcpClientAsync(_ended.Token) is { } client)
                _ = Task.Run(() => ServeAsync(client, answer, released, speaksFirst));
        });
    }

    public Uri Address { get; }

    public int Asked => _asked;

    public async ValueTask DisposeAsync()
    {
        await _ended.CancelAsync();
        _listener.Dispose();
        _ended.Dispose();
    }

    private async Task ServeAsync(
        TcpClient client,
        Func<string, byte[]> answer,
        SemaphoreSlim? released,
        bool speaksFirst
    )
    {
        using var _ = client;
        var stream = client.GetStream();
        try
        {
            if (speaksFirst)
                await stream.WriteAsync(answer(""), _ended.Token);
            var buffer = new byte[64 << 10];
            while (await stream.ReadAsync(buffer, _ended.Token) is > 0 and var read)
            {
                Interlocked.Increment(ref _asked);
                if (released is not null)
                    await released.WaitAsync(_ended.Token);
                await stream.WriteAsync(answer(Encoding.Latin1.GetString(buffer, 0, read)), _ended.Token);
                if (!speaksFirst)
                    return;
            }
        }
        catch (Exception error) when (error is IOException or OperationCanceledException)
        {
            // The other side hung up, or the test is over.
        }
    }
}
