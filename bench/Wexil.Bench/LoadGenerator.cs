using System.Diagnostics;
using System.Text;

namespace Wexil.Bench;

/// <summary>What a round of load measured.</summary>
/// <param name="Latencies">Every answer's time in milliseconds, sorted.</param>
/// <param name="Busy">Cores that this process kept busy, generator and all.</param>
/// <param name="Allocated">Bytes that this process allocated, generator and all.</param>
public sealed record Round(long Answered, long Failed, TimeSpan Took, float[] Latencies, double Busy, long Allocated)
{
    public double PerSecond => Answered / Took.TotalSeconds;

    /// <summary>Microseconds of a core for each answer, generator and all.</summary>
    public double Cost => Busy / PerSecond * 1e6;

    /// <summary>Bytes allocated for each answer, generator and all.</summary>
    public double AllocatedEach => (double)Allocated / Answered;

    public float Quantile(double share) =>
        Latencies.Length == 0 ? 0 : Latencies[(int)Math.Min(Latencies.Length - 1, share * Latencies.Length)];
}

/// <summary>
/// Asks one address over keep-alive connections as fast as it answers, with as little of its own work as it can: the
/// generator shares the machine with what it measures. The same for every address measured.
/// </summary>
public static class LoadGenerator
{
    /// <summary>Longer than a double click, so that a visitor who returns is a visit.</summary>
    private static readonly TimeSpan Away = TimeSpan.FromSeconds(2.2);

    /// <summary>Visitors that a connection returns as: enough that each is away for long enough.</summary>
    private const int MostKnown = 500;

    private const string Browser =
        "User-Agent: Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, "
        + "like Gecko) Version/18.0 Mobile/15E148 Safari/604.1\r\nAccept-Language: "
        + "en-US,en;q=0.9\r\nX-Forwarded-For: 8.8.8.8\r\n";

    /// <param name="address">The host, and the path where no others are given.</param>
    /// <param name="paths">What is asked for instead, each as often as the others.</param>
    /// <param name="returning">Share of the requests that carry a cookie from an earlier answer; the rest carry
    /// none.</param>
    /// <param name="perSecond">How many are asked in a second over all connections; null for as many as are
    /// answered.</param>
    /// <param name="status">The status that counts as an answer; what comes with it is read to its end.</param>
    public static async Task<Round> RunAsync(
        Uri address,
        int connections,
        TimeSpan duration,
        double returning,
        string status = "302",
        IReadOnlyList<string>? paths = null,
        double? perSecond = null
    )
    {
        var watch = Stopwatch.StartNew();
        var used = Environment.CpuUsage.TotalTime;
        var allocated = GC.GetTotalAllocatedBytes();
        var until = Stopwatch.GetTimestamp() + (long)(duration.TotalSeconds * Stopwatch.Frequency);
        var requests = (paths ?? [address.PathAndQuery])
            .Select(path => Encoding.ASCII.GetBytes($"GET {path} HTTP/1.1\r\nHost: {address.Authority}\r\n{Browser}"))
            .ToArray();
        var results = await Task.WhenAll(
            Enumerable
                .Range(0, connections)
                .Select(i =>
                    Task.Run(() =>
                        ConnectionAsync(
                            address,
                            requests,
                            until,
                            returning,
                            status,
                            new Random(i),
                            connections / perSecond
                        )
                    )
                )
        );
        var took = watch.Elapsed;
        var busy = (Environment.CpuUsage.TotalTime - used) / took;
        allocated = GC.GetTotalAllocatedBytes() - allocated;
        float[] latencies = [.. results.SelectMany(result => result.Latencies)];
        Array.Sort(latencies);
        return new(latencies.Length, results.Sum(result => result.Failed), took, latencies, busy, allocated);
    }

    /// <param name="requests">Without the empty line at their end.</param>
    private static async Task<(List<float> Latencies, long Failed)> ConnectionAsync(
        Uri address,
        byte[][] requests,
        long until,
        double returning,
        string status,
        Random random,
        double? pause
    )
    {
        using var connection = await RawConnection.OpenAsync(address);
        var expected = Encoding.ASCII.GetBytes($"HTTP/1.1 {status}");
        var known = new Queue<(byte[] Request, long Since)>();
        // What is sent is put together in one place: memory of the generator's would be cleared away at the expense of
        // what it measures.
        var outgoing = new byte[4 << 10];
        var latencies = new List<float>(1 << 16);
        long failed = 0,
            asked = 0;
        var began = Stopwatch.GetTimestamp();
        while (Stopwatch.GetTimestamp() < until)
        {
            // Behind its time, it asks at once until it has made up for it.
            if (pause * asked++ - Stopwatch.GetElapsedTime(began).TotalSeconds is > 0.001 and var early)
                await Task.Delay(TimeSpan.FromSeconds(early));
            var request = requests[random.Next(requests.Length)];
            var isNew = true;
            if (
                random.NextDouble() < returning
                && known.TryPeek(out var next)
                && Stopwatch.GetElapsedTime(next.Since) > Away
            )
            {
                (request, isNew) = (next.Request, false);
                known.Enqueue(known.Dequeue() with { Since = Stopwatch.GetTimestamp() });
            }
            request.CopyTo(outgoing, 0);
            "\r\n"u8.CopyTo(outgoing.AsSpan(request.Length));
            var sent = Stopwatch.GetTimestamp();
            var head = await connection.AskAsync(outgoing.AsMemory(0, request.Length + 2));
            if (head.IsEmpty)
                return (latencies, failed + 1);
            if (!head.Span.StartsWith(expected))
            {
                failed++;
                continue;
            }
            latencies.Add((float)Stopwatch.GetElapsedTime(sent).TotalMilliseconds);
            if (isNew && known.Count < MostKnown && Cookie(head.Span) is { Length: > 0 } cookie)
                known.Enqueue(([.. request, .. "Cookie: "u8, .. cookie, .. "\r\n"u8], Stopwatch.GetTimestamp()));
        }
        return (latencies, failed);
    }

    private static ReadOnlySpan<byte> Cookie(ReadOnlySpan<byte> head)
    {
        var at = head.IndexOf("Set-Cookie: "u8);
        if (at < 0)
            return [];
        var value = head[(at + "Set-Cookie: ".Length)..];
        return value[..value.IndexOf((byte)';')];
    }
}
