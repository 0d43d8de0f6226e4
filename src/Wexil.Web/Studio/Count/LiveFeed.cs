using System.Collections.Concurrent;
using System.Threading.Channels;
using Wexil.Core.Common;
using Wexil.Store.Recording;

namespace Wexil.Web.Studio.Count;

/// <summary>
/// Tells open screens that a test's numbers moved, as server-sent events; at most one waits for a slow reader.
/// </summary>
public sealed class LiveFeed
{
    private static readonly TimeSpan Heartbeat = TimeSpan.FromSeconds(20),
        Pause = TimeSpan.FromSeconds(1);
    private readonly ConcurrentDictionary<Channel<bool>, TestId> _readers = [];

    public LiveFeed(Journal journal) =>
        journal.Projected += projected =>
        {
            foreach (var (reader, test) in _readers)
                if (projected.Tests.Contains(test))
                    reader.Writer.TryWrite(true);
        };

    public static async Task Answer(HttpContext http, long test, LiveFeed feed, IHostApplicationLifetime lifetime)
    {
        using var ended = CancellationTokenSource.CreateLinkedTokenSource(
            http.RequestAborted,
            lifetime.ApplicationStopping
        );
        var reader = Channel.CreateBounded<bool>(
            new BoundedChannelOptions(1) { FullMode = BoundedChannelFullMode.DropWrite }
        );
        http.Response.ContentType = "text/event-stream";
        http.Response.Headers.CacheControl = "no-store";
        feed._readers[reader] = new TestId(test);
        try
        {
            await http.Response.WriteAsync("retry: 1000\n\n", ended.Token);
            await http.Response.Body.FlushAsync(ended.Token);
            while (!ended.IsCancellationRequested)
            {
                var moved = await Moved(reader.Reader, ended.Token);
                await http.Response.WriteAsync(moved ? "event: moved\ndata: 1\n\n" : ": still here\n\n", ended.Token);
                await http.Response.Body.FlushAsync(ended.Token);
                if (moved)
                    await Task.Delay(Pause, ended.Token);
            }
        }
        catch (OperationCanceledException)
        {
            // The screen was closed.
        }
        finally
        {
            feed._readers.TryRemove(reader, out _);
        }
    }

    private static async Task<bool> Moved(ChannelReader<bool> reader, CancellationToken ended)
    {
        using var beat = CancellationTokenSource.CreateLinkedTokenSource(ended);
        beat.CancelAfter(Heartbeat);
        try
        {
            return await reader.ReadAsync(beat.Token);
        }
        catch (OperationCanceledException) when (!ended.IsCancellationRequested)
        {
            return false;
        }
    }
}
