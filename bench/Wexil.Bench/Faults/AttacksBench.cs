using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store;
using Wexil.Store.Team;
using Wexil.Web.Studio.Account;

namespace Wexil.Bench.Faults;

/// <summary>
/// What strangers and broken services do to the program under the limits of the unit that ships: it goes on, in its
/// memory, and what visitors feel of it.
/// </summary>
public static partial class AttacksBench
{
    private const string Line = "{0,-34} {1,7:0.0} {2,7:N0} {3,9:0.0} {4,9:0.0}  {5}";
    private const string Password = "twelve loud balconies";

    /// <summary>Fewer than the connections that come; the unit allows 65,536.</summary>
    private const int FewFiles = 1_024;

    private static readonly TimeSpan Patience = TimeSpan.FromMinutes(3);
    private static readonly TimeSpan Rest = TimeSpan.FromMilliseconds(10);

    private sealed record Attack(
        string Name,
        Func<FaultWorld, Task<string>> Happens,
        Func<FaultWorld, IServiceProvider, Task>? Furnish = null,
        int Files = 0,
        Uri? Smtp = null,
        bool HasProxy = false
    );

    /// <returns>False where the program ended, or took more memory than its unit allows.</returns>
    public static async Task<bool> RunAsync(bool quick, string? name = null)
    {
        Console.WriteLine();
        Console.WriteLine(Line, "attack", "s", "MB", "p99 alone", "p99 now", "what still works");
        var isGood = true;
        foreach (
            var attack in Attacks(quick).Where(attack => attack.Name.Contains(name ?? "", StringComparison.Ordinal))
        )
            isGood &= await RunAsync(attack, quick ? 300 : 2_000);
        return isGood;
    }

    private static IEnumerable<Attack> Attacks(bool quick)
    {
        yield return new("ever-different User-Agents", world => AgentsAsync(world, quick ? 4_000 : 64_000));
        yield return new("5,000 idle connections", IdleAsync, Files: FewFiles);
        yield return new("2,000 slow posts at the owner's door", SlowPostsAsync, Files: FewFiles);
        var pages = new HostilePages();
        yield return new("hostile pages, checked by a link", pages.CheckAsync, pages.FurnishAsync);
        yield return new("a hostile page let in before", OldPageAsync, AddOldPageAsync);
        using var mail = new EndlessMail();
        yield return new("a mail server without an end", mail.WaitAsync, EndlessMail.FurnishAsync, Smtp: mail.Address);
        var memories = new FullMemories(quick);
        yield return new("every memory full at once", memories.FillAsync, memories.FurnishAsync, HasProxy: true);
        yield return new("300 guesses at once", GuessAsync, (_, services) => SetPasswordAsync(services));
    }

    private static async Task<bool> RunAsync(Attack attack, int visits)
    {
        await using var world = await FaultWorld.MakeAsync(furnish: attack.Furnish);
        var limits = ServiceLimits.Unit;
        await world.StartAsync(
            attack.Files > 0 ? limits with { Files = attack.Files } : limits,
            attack.Smtp,
            attack.HasProxy ? ["--trusted-proxy", "127.0.0.1"] : []
        );
        // Once unmeasured: the first visits compile what they need.
        _ = await P99Async(world, visitors => visitors.ServeAsync(visits));
        var alone = await P99Async(world, visitors => visitors.ServeAsync(visits));
        var (watch, notes) = (Stopwatch.StartNew(), "NO ANSWER ANY MORE");
        async Task<string> Note() => notes = await attack.Happens(world);
        var isOver = false;
        var now = await P99Async(world, async _ =>
            isOver = await Task.WhenAny(Note(), Task.Delay(Patience)) is Task<string>
        );
        var took = watch.Elapsed;
        var isGood = isOver && world.Runs && world.PeakMemory < 900L << 20;
        Console.WriteLine(
            Line,
            attack.Name,
            took.TotalSeconds,
            world.Runs ? world.PeakMemory >> 20 : 0,
            alone,
            now,
            world.Runs ? notes : "THE PROGRAM ENDED"
        );
        return isGood;
    }

    private static async Task<double> P99Async(FaultWorld world, Func<FaultVisitors, Task> meanwhile)
    {
        var visitors = new FaultVisitors(world.Visitors, world.Page, connections: 2, rest: Rest).Begin();
        await meanwhile(visitors);
        await visitors.DisposeAsync();
        return visitors.P99;
    }

    private static async Task<string> AgentsAsync(FaultWorld world, int requests)
    {
        var answers = await Task.WhenAll(Enumerable.Range(0, 4).Select(i => AskAsync(world, i, requests / 4)));
        return $"{answers.Sum():N0} of {requests:N0} answered";
    }

    private static async Task<int> AskAsync(FaultWorld world, int connection, int requests)
    {
        using var client = new HttpClient(
            new SocketsHttpHandler { AllowAutoRedirect = false, MaxConnectionsPerServer = 1 }
        )
        {
            BaseAddress = world.Visitors,
        };
        var answered = 0;
        for (var i = 0; i < requests; i++)
        {
            using var request = new HttpRequestMessage(HttpMethod.Get, "/go/fault");
            request.Headers.TryAddWithoutValidation(
                "User-Agent",
                $"{connection}-{i} {new string((char)('a' + i % 26), 14_000)}"
            );
            using var answer = await client.SendAsync(request);
            answered += answer.StatusCode is HttpStatusCode.OK ? 1 : 0;
        }
        return answered;
    }

    private static async Task<string> IdleAsync(FaultWorld world)
    {
        const int connections = 2_500;
        var held = new List<TcpClient>();
        foreach (var door in (Uri[])[world.Studio, world.Visitors])
            for (var i = 0; i < connections; i++)
            {
                var client = new TcpClient();
                held.Add(client);
                // What does not fit waits before the door.
                _ = client.ConnectAsync(IPAddress.Loopback, door.Port);
            }
        await Task.Delay(TimeSpan.FromSeconds(3));
        var (studio, link) = (
            await TimeAsync(new(world.Studio, "/sign-in")),
            await TimeAsync(new(world.Visitors, "/go/fault"))
        );
        await Task.Delay(TimeSpan.FromSeconds(5));
        foreach (var client in held)
            client.Dispose();
        return $"sign-in page in {studio:0} ms, link in {link:0} ms";
    }

    /// <summary>Forms that are begun, and go on with a few bytes a second: just as many as are taken for a person's.
    /// </summary>
    private static async Task<string> SlowPostsAsync(FaultWorld world)
    {
        const int posts = 2_000;
        using var owner = await world.OwnerAsync();
        using var ended = new CancellationTokenSource();
        Task[] slow = [.. Enumerable.Range(0, posts).Select(_ => PostSlowlyAsync(world.Studio, ended.Token))];
        var longest = 0.0;
        for (var i = 0; i < 20; i++)
        {
            await Task.Delay(TimeSpan.FromMilliseconds(500));
            var watch = Stopwatch.StartNew();
            // A connection of its own each time, as after a break.
            using var client = world.Again();
            (await client.GetAsync("/")).EnsureSuccessStatusCode();
            longest = Math.Max(longest, watch.Elapsed.TotalMilliseconds);
        }
        await ended.CancelAsync();
        await Task.WhenAll(slow);
        return $"the owner's first screen within {longest:0} ms";
    }

    private static async Task PostSlowlyAsync(Uri door, CancellationToken ended)
    {
        var request = Encoding.ASCII.GetBytes(
            $"POST /sign-in HTTP/1.1\r\nHost: {door.Authority}\r\nContent-Type: application/x-www-form-urlencoded\r\n"
                + "Content-Length: 60000\r\n\r\nPassword="
        );
        while (!ended.IsCancellationRequested)
        {
            try
            {
                using var client = new TcpClient();
                await client.ConnectAsync(IPAddress.Loopback, door.Port, ended);
                await client.GetStream().WriteAsync(request, ended);
                while (true)
                {
                    await Task.Delay(TimeSpan.FromSeconds(1), ended);
                    await client.GetStream().WriteAsync(new byte[300], ended);
                }
            }
            catch (Exception error) when (error is IOException or SocketException or OperationCanceledException)
            {
                // Thrown out; it comes again.
            }
        }
    }

    private static async Task<double> TimeAsync(Uri address)
    {
        using var client = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false });
        var watch = Stopwatch.StartNew();
        using var answer = await client.GetAsync(address);
        return watch.Elapsed.TotalMilliseconds;
    }

    private static async Task AddOldPageAsync(FaultWorld world, IServiceProvider services)
    {
        var funnels = services.GetRequiredService<FunnelStore>();
        var step = (await funnels.AddStepAsync(world.Funnel, StepKind.Sales, "Old", "old"))!;
        await services
            .GetRequiredService<PageStore>()
            .AddAsync(step.Id, "Old", PageBundle.OneFile(HostilePages.Sources[0].Html));
    }

    private static async Task<string> OldPageAsync(FaultWorld world) =>
        $"its first visitor waits {await TimeAsync(new(world.Visitors, "/go/old")):0} ms, "
        + $"its second {await TimeAsync(new(world.Visitors, "/go/old")):0} ms";

    private static Task SetPasswordAsync(IServiceProvider services) =>
        services.GetRequiredService<Passwords>().SetAsync(services.GetRequiredService<TeamStore>().Owner.Id, Password);

    private static async Task<string> GuessAsync(FaultWorld world)
    {
        using var client = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false })
        {
            BaseAddress = world.Studio,
        };
        var token = Token().Match(await client.GetStringAsync("/sign-in")).Groups[1].Value;
        async Task<HttpStatusCode> TryAsync(int number)
        {
            using var form = new FormUrlEncodedContent([
                new("__RequestVerificationToken", token),
                new("Password", $"guess number {number}"),
            ]);
            using var answer = await client.PostAsync("/sign-in", form);
            return answer.StatusCode;
        }
        var answers = await Task.WhenAll(Enumerable.Range(0, 300).Select(TryAsync));
        return $"{answers.Count(status => status == HttpStatusCode.OK)} checked, "
            + $"{answers.Count(status => status == HttpStatusCode.TooManyRequests)} told to wait";
    }

    [GeneratedRegex("__RequestVerificationToken\" type=\"hidden\" value=\"([^\"]+)\"")]
    private static partial Regex Token();
}
