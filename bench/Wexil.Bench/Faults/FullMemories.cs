using System.Net;
using System.Net.Sockets;
using System.Text;
using Microsoft.Data.Sqlite;
using Microsoft.Extensions.DependencyInjection;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store;

namespace Wexil.Bench.Faults;

/// <summary>
/// Fills every memory that strangers can fill, as docs/security.md lists them, in one program and at once: each bound
/// holds by itself, and the program has room for all of them together.
/// </summary>
/// <param name="quick">Fills only the large ones.</param>
public sealed class FullMemories(bool quick)
{
    private const int BytesOfFilm = 15 << 20,
        HeaderLetters = 14_000,
        FormLetters = 63_000,
        Clients = 4;

    private readonly int _films = quick ? 16 : 24;
    private readonly List<string> _files = [];
    private readonly List<Socket> _held = [];

    public async Task FurnishAsync(FaultWorld world, IServiceProvider services)
    {
        var (funnels, pages) = (services.GetRequiredService<FunnelStore>(), services.GetRequiredService<PageStore>());
        var step = (await funnels.AddStepAsync(world.Funnel, StepKind.Sales, "Films", "films"))!;
        var random = new Random(1);
        for (var i = 0; i < _films; i++)
        {
            var film = new byte[BytesOfFilm];
            random.NextBytes(film);
            var page = await pages.AddAsync(
                step.Id,
                $"Film {i}",
                new PageBundle([new("index.html", "<h1>Film</h1>"u8.ToArray()), new("film.mp4", film)], "index.html")
            );
            _files.Add($"/p/{pages.Find(page)!.Slug}/film.mp4");
        }
    }

    public async Task<string> FillAsync(FaultWorld world)
    {
        var films = await ReadFilmsAsync(world);
        var agents = await EachAsync(world.Visitors, quick ? 1_000 : 24_000, i =>
            Ask(world, "GET", "/go/fault", agent: i)
        );
        var networks = quick ? 500 : 40_000;
        var visits = await EachAsync(world.Visitors, networks, i => Ask(world, "GET", "/go/fault", from: i));
        foreach (var path in (string[])[$"/p/{world.Page}/opt-in", "/hooks/sale", "/signal/nobody"])
            await EachAsync(world.Visitors, networks, i => Ask(world, "POST", path, from: i));
        var places = await HoldAsync(world, 8_000);
        var events = await WithLockedStoreAsync(world, quick ? 10_000 : 600_000);
        foreach (var socket in _held)
            socket.Dispose();
        return $"{films} films of 15 MB, {agents:N0} agents, {visits:N0} networks, {places:N0} connections, "
            + $"{events:N0} visits while nothing could be stored: answered";
    }

    private async Task<int> ReadFilmsAsync(FaultWorld world)
    {
        using var client = new HttpClient { BaseAddress = world.Visitors };
        var read = 0;
        foreach (var file in _files)
            read += (await client.GetByteArrayAsync(file)).Length == BytesOfFilm ? 1 : 0;
        return read;
    }

    /// <summary>Requests that have begun and never end, with as much of a head as may be kept.</summary>
    private async Task<int> HoldAsync(FaultWorld world, int connections)
    {
        var head = Encoding.ASCII.GetBytes(
            $"GET /go/fault HTTP/1.1\r\nHost: {world.Visitors.Authority}\r\nX-Forwarded-For: 9.9.9.9\r\n"
                + $"User-Agent: {new string('a', HeaderLetters)}\r\nCookie: {new string('b', HeaderLetters)}"
        );
        byte[] Form(int from) =>
            Encoding.ASCII.GetBytes(
                $"POST /p/{world.Page}/opt-in HTTP/1.1\r\nHost: {world.Visitors.Authority}\r\n"
                    + $"X-Forwarded-For: 9.{from >> 16}.{from >> 8 & 255}.{from & 255}\r\n"
                    + $"Content-Type: application/x-www-form-urlencoded\r\nContent-Length: {FormLetters + 100}\r\n\r\n"
                    + $"email=a&message={new string('a', FormLetters)}"
            );
        var begun = 0;
        for (var i = 0; i < connections; i++)
        {
            var socket = new Socket(AddressFamily.InterNetwork, SocketType.Stream, ProtocolType.Tcp);
            _held.Add(socket);
            try
            {
                using var patience = new CancellationTokenSource(TimeSpan.FromSeconds(2));
                await socket.ConnectAsync(IPAddress.Loopback, world.Visitors.Port, patience.Token);
                await socket.SendAsync(i % 2 == 0 ? head : Form(i), patience.Token);
                begun++;
            }
            catch (Exception error) when (error is SocketException or OperationCanceledException)
            {
                // The door is full.
                break;
            }
        }
        return begun;
    }

    private static async Task<int> WithLockedStoreAsync(FaultWorld world, int visits)
    {
        await using var file = new SqliteConnection($"Data Source={world.Folder}/wexil.db;Pooling=false");
        file.Open();
        await using var held = file.BeginTransaction(deferred: false);
        return await EachAsync(world.Visitors, visits, i => Ask(world, "GET", "/go/fault", from: i));
    }

    /// <summary>Sends many requests over a few connections.</summary>
    /// <returns>How many were answered with what a stranger is told: a page, a refusal, or to come later.</returns>
    private static async Task<int> EachAsync(Uri door, int requests, Func<int, byte[]> request)
    {
        async Task<int> AskAsync(int client)
        {
            var answered = 0;
            using var connection = await RawConnection.OpenAsync(door);
            for (var i = client; i < requests; i += Clients)
            {
                var head = await connection.AskAsync(request(i));
                if (head.IsEmpty)
                    break;
                answered += head.Span.StartsWith("HTTP/1.1 5"u8) ? 0 : 1;
            }
            return answered;
        }
        return (
            await Task.WhenAll(Enumerable.Range(0, Clients).Select(client => Task.Run(() => AskAsync(client))))
        ).Sum();
    }

    private static byte[] Ask(FaultWorld world, string method, string path, int? agent = null, int from = 0)
    {
        var name = agent is { } number
            ? $"{number} {new string((char)('a' + number % 26), HeaderLetters)}"
            : "Mozilla/5.0 (X11)";
        return Encoding.ASCII.GetBytes(
            $"{method} {path} HTTP/1.1\r\nHost: {world.Visitors.Authority}\r\nUser-Agent: {name}\r\n"
                + $"X-Forwarded-For: 8.{from >> 16 & 255}.{from >> 8 & 255}.{from & 255}\r\n"
                + (method == "POST" ? "Content-Length: 0\r\n\r\n" : "\r\n")
        );
    }
}
