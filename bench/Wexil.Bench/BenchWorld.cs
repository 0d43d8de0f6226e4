using System.Net;
using System.Net.Sockets;
using Microsoft.Extensions.DependencyInjection;
using Wexil.Core.Funnels;
using Wexil.Core.Splits;
using Wexil.Store;
using Wexil.Web.Hosting;
using Wexil.Web.Shared;
using Wexil.Web.Studio.Account;

namespace Wexil.Bench;

/// <summary>A Wexil in this program, in a folder of its own that goes with it, with one test of two outside pages.</summary>
public sealed class BenchWorld : IAsyncDisposable
{
    private BenchWorld(WexilHost host, string folder) => (Host, Folder) = (host, folder);

    public WexilHost Host { get; }
    public string Folder { get; }
    public SplitTest Test { get; private set; } = null!;

    public T Get<T>() where T : notnull => Host.Services.GetRequiredService<T>();

    public static async Task<BenchWorld> StartAsync()
    {
        var folder = Directory.CreateTempSubdirectory("wexil-bench-").FullName;
        var host = await WexilHost.StartAsync(new WexilOptions { Data = folder, Studio = new($"http://localhost:{FreePort()}"), Visitors = new($"http://127.0.0.1:{FreePort()}") });
        var world = new BenchWorld(host, folder);
        var funnel = await world.Get<FunnelStore>().CreateAsync("Bench");
        var step = (await world.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.OptIn, "Bench", "bench"))!;
        var thanks = (await world.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.ThankYou, "Thanks", "thanks"))!;
        var pages = world.Get<PageStore>();
        PageId[] tested = [await pages.AddAsync(step.Id, "A", new Uri("https://larkrow.example/a")), await pages.AddAsync(step.Id, "B", new Uri("https://larkrow.example/b"))];
        await pages.AddAsync(thanks.Id, "Thanks", new Uri("https://larkrow.example/thanks"));
        var test = await world.Get<TestStore>().StartAsync(new(step.Id, thanks.Id, "Bench", "", 0.1, 0.2, tested, Weights.Even(2)));
        world.Get<Routes>().Reload();
        world.Test = world.Get<TestStore>().Find(test!.Value)!;
        return world;
    }

    public long Events() => Host.Database.Read(connection =>
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
