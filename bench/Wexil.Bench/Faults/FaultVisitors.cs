using System.Collections.Concurrent;
using System.Diagnostics;
using System.Net;
using Wexil.Core.Visitors;

namespace Wexil.Bench.Faults;

/// <summary>
/// New visitors, one behind the other on each of some connections; every second one leaves an address. Each is noted
/// once it is answered: from then on it may not be lost.
/// </summary>
/// <param name="remembers">Keeps who was served; a long run only counts them.</param>
/// <param name="rest">How long a connection rests behind each visitor; null for not at all.</param>
public sealed class FaultVisitors(
    Uri visitors,
    string page,
    int connections = 8,
    bool remembers = true,
    TimeSpan? rest = null
) : IAsyncDisposable
{
    private const string Desktop =
        "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36";

    private readonly CancellationTokenSource _ended = new();
    private readonly ConcurrentQueue<double> _times = [];
    private Task[] _connections = [];
    private int _number;

    /// <summary>The visitors that were answered, in capital hexadecimal digits.</summary>
    public ConcurrentDictionary<string, byte> Served { get; } = [];

    /// <summary>Those whose opt-in was answered.</summary>
    public ConcurrentDictionary<string, byte> OptedIn { get; } = [];

    /// <summary>How long 99 of 100 visits took at most, in milliseconds.</summary>
    public double P99
    {
        get
        {
            double[] sorted = [.. _times.Order()];
            return sorted.Length == 0 ? 0 : sorted[(int)(sorted.Length * 0.99)];
        }
    }

    public FaultVisitors Begin()
    {
        _connections = [.. Enumerable.Range(0, connections).Select(_ => Task.Run(ComeAsync))];
        return this;
    }

    /// <summary>Waits until so many more were served.</summary>
    public async Task ServeAsync(int more)
    {
        var until = _number + more;
        while (_number < until)
            await Task.Delay(2);
    }

    public async ValueTask DisposeAsync()
    {
        await _ended.CancelAsync();
        await Task.WhenAll(_connections);
        _ended.Dispose();
    }

    private async Task ComeAsync()
    {
        using var client = new HttpClient(
            new SocketsHttpHandler
            {
                UseCookies = false,
                AllowAutoRedirect = false,
                MaxConnectionsPerServer = 1,
            }
        )
        {
            BaseAddress = visitors,
            Timeout = TimeSpan.FromSeconds(60),
        };
        client.DefaultRequestHeaders.UserAgent.ParseAdd(Desktop);
        while (!_ended.IsCancellationRequested)
        {
            try
            {
                await ComeAsync(client);
                if (rest is { } pause)
                    await Task.Delay(pause);
            }
            catch (Exception error) when (error is HttpRequestException or IOException or OperationCanceledException)
            {
                // The program is down; so the next one tries again.
                await Task.Delay(20);
            }
        }
    }

    private async Task ComeAsync(HttpClient client)
    {
        var began = Stopwatch.GetTimestamp();
        using var answer = await client.GetAsync("/go/fault");
        answer.EnsureSuccessStatusCode();
        if (remembers)
            _times.Enqueue(Stopwatch.GetElapsedTime(began).TotalMilliseconds);
        var cookie = answer.Headers.GetValues("Set-Cookie").First();
        if (!VisitorId.TryParse(cookie.AsSpan(VisitorId.CookieName.Length + 1, VisitorId.TextLength), out var visitor))
            throw new InvalidOperationException("The visitor got no cookie.");
        var name = Convert.ToHexString(visitor.Value.ToByteArray(bigEndian: true));
        if (remembers)
            Served[name] = 0;
        var number = Interlocked.Increment(ref _number);
        if (number % 2 == 0)
            return;
        using var form = new HttpRequestMessage(HttpMethod.Post, $"/p/{page}/opt-in")
        {
            Headers = { { "Cookie", cookie.Split(';')[0] } },
            Content = new FormUrlEncodedContent([new("email", $"visitor{number}@fault.example")]),
        };
        using var taken = await client.SendAsync(form);
        if (remembers && taken.StatusCode == HttpStatusCode.SeeOther)
            OptedIn[name] = 0;
    }
}
