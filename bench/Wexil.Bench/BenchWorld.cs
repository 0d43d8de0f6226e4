using System.Net;
using System.Net.Sockets;
using Microsoft.Extensions.DependencyInjection;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;
using Wexil.Core.Targeting;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Web.Hosting;
using Wexil.Web.Studio.Account;

namespace Wexil.Bench;

/// <summary>
/// A Wexil in this program, in a folder of its own that goes with it, with one test of outside pages.
/// </summary>
public sealed class BenchWorld : IAsyncDisposable
{
    private BenchWorld(WexilHost host, string folder) => (Host, Folder) = (host, folder);

    public WexilHost Host { get; }
    public string Folder { get; }
    public SplitTest Test { get; private set; } = null!;

    public T Get<T>()
        where T : notnull => Host.Services.GetRequiredService<T>();

    /// <param name="count">How many pages the test has.</param>
    public static async Task<BenchWorld> StartAsync(int count = 2)
    {
        var folder = Directory.CreateTempSubdirectory("wexil-bench-").FullName;
        var host = await WexilHost.StartAsync(
            new WexilOptions
            {
                Data = folder,
                Studio = new($"http://localhost:{FreePort()}"),
                Visitors = new($"http://127.0.0.1:{FreePort()}"),
                TrustedProxies = [IPAddress.Loopback],
                FollowsClock = false,
            }
        );
        var world = new BenchWorld(host, folder);
        var funnel = await world.Get<FunnelStore>().CreateAsync("Bench");
        var step = (await world.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.OptIn, "Bench", "bench"))!;
        var thanks = (await world.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.ThankYou, "Thanks", "thanks"))!;
        var pages = world.Get<PageStore>();
        var tested = new List<PageId>();
        for (var i = 0; i < count; i++)
            tested.Add(await pages.AddAsync(step.Id, $"Page {i}", new Uri($"https://larkrow.example/{i}")));
        await pages.AddAsync(thanks.Id, "Thanks", new Uri("https://larkrow.example/thanks"));
        var test = await world
            .Get<TestStore>()
            .StartAsync(new(step.Id, thanks.Id, "Bench", "", 0.1, 0.2, tested, Weights.Even(count)));
        world.Test = world.Get<TestStore>().Find(test!.Value)!;
        return world;
    }

    /// <summary>
    /// Two hundred funnels of five steps with ten outside pages each, a test on every step but the last of a funnel,
    /// and every rule in use.
    /// </summary>
    /// <returns>The links with their parameters.</returns>
    public async Task<IReadOnlyList<string>> FillWithRulesAsync()
    {
        const int funnels = 200,
            steps = 5,
            pages = 10;
        var paths = new List<string>();
        for (var f = 0; f < funnels; f++)
        {
            var plan = Enumerable
                .Range(0, steps)
                .Select(s => new FunnelStep(
                    s == steps - 1 ? StepKind.ThankYou : StepKind.Sales,
                    $"Step {s}",
                    $"bench-{f}-{s}",
                    [
                        .. Enumerable
                            .Range(0, pages)
                            .Select(p => new FunnelPage(
                                $"Page {f}-{s}-{p}",
                                null,
                                new Uri($"https://larkrow.example/{f}/{s}/{p}")
                            )),
                    ]
                ))
                .ToArray();
            var funnel = await Get<FunnelStore>().CreateAsync($"Bench {f}", plan);
            var made = Get<FunnelStore>().Steps(funnel.Id);
            for (var s = 0; s < steps; s++)
            {
                paths.Add($"/go/bench-{f}-{s}?s=ad-{s}&utm_campaign=spring&gclid=a{f}b{s}");
                if (s == steps - 1)
                    continue;
                PageId[] tested = [.. Get<PageStore>().ForStep(made[s].Id).Select(page => page.Id)];
                if (s == 0)
                    await Get<SourceStore>()
                        .SaveAsync(
                            funnel.Id,
                            null,
                            "ad-0",
                            "Tied",
                            SourceKind.Ad,
                            30,
                            new Dictionary<StepId, PageId> { [made[0].Id] = tested[3] }
                        );
                if (s == 1)
                    await Get<SourceStore>()
                        .SaveAsync(
                            funnel.Id,
                            null,
                            "ad-1",
                            "Affiliate",
                            SourceKind.Affiliate,
                            null,
                            new Dictionary<StepId, PageId>()
                        );
                var audience = new Audience(
                    [Device.Phone, Device.Tablet],
                    new(["DE", "AT"], true),
                    VisitKind.Both,
                    IncludeExcludeList.All,
                    new(["fr"], true),
                    [
                        new(false, "staff", RuleKind.Present),
                        new(true, "utm_campaign", RuleKind.Matches, "^spring|summer$"),
                    ]
                );
                await Get<TestStore>()
                    .StartAsync(
                        new(
                            made[s].Id,
                            made[steps - 1].Id,
                            "Bench",
                            "",
                            0.1,
                            0.2,
                            tested,
                            Weights.Even(pages),
                            new(
                                s % 2 == 0 ? Allocation.Random : Allocation.Rotation,
                                90,
                                audience,
                                tested[1],
                                [tested[9]],
                                true,
                                DateTimeOffset.UtcNow.AddDays(9)
                            )
                        )
                    );
            }
        }
        return paths;
    }

    public long Events() =>
        Host.Database.Read(connection =>
        {
            using var command = connection.CreateCommand();
            command.CommandText = "SELECT count(*) FROM events";
            return (long)command.ExecuteScalar()!;
        });

    /// <summary>The owner, signed in.</summary>
    public async Task<HttpClient> OwnerAsync()
    {
        var client = new HttpClient { BaseAddress = Host.Options.Studio };
        await client.GetAsync($"/sign-in?key={Get<SignInLinks>().Issue()}");
        return client;
    }

    public static int FreePort()
    {
        using var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        return ((IPEndPoint)listener.LocalEndpoint).Port;
    }

    public async ValueTask DisposeAsync()
    {
        await Host.DisposeAsync();
        Directory.Delete(Folder, recursive: true);
    }
}
