using System.Diagnostics;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;
using Wexil.App.Visits;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.Bench;

/// <summary>
/// The link, which commits before it answers, against an endpoint of the framework that answers a fixed 302; the same
/// generator, in turns.
/// </summary>
public static class GoBench
{
    private const int Connections = 64;
    private const double Returning = 0.3,
        Steady = 20_000;
    private static readonly TimeSpan WarmUp = TimeSpan.FromSeconds(5);

    public static async Task RunAsync(bool quick)
    {
        // Short rounds in turns, since a machine that others use too changes its speed within seconds; but long enough
        // that visitors return.
        var (rounds, duration) = (quick ? 4 : 11, TimeSpan.FromSeconds(4));
        await using var world = await BenchWorld.StartAsync();
        await using var bare = await StartBareAsync();
        var empty = GC.GetTotalMemory(forceFullCollection: true);
        var paths = await world.FillWithRulesAsync();
        Console.WriteLine(
            "1,000 steps, 10,000 pages, 800 tests with every rule in use: the table takes "
                + $"{(GC.GetTotalMemory(forceFullCollection: true) - empty) / 1e6:0} MB."
        );
        await PrintReachAsync(world);
        var go = new Uri(world.Host.Options.Visitors, "/go/bench");
        var fixedAnswer = new Uri(bare.Urls.Single() + "/bare");
        Console.WriteLine(
            $"{Connections} connections, {rounds} rounds of {duration.TotalSeconds:0} s each, "
                + $"{Environment.ProcessorCount} cores shared with the generator; {1 - Returning:P0} new visitors, "
                + $"{Returning:P0} returning."
        );
        // Until both are compiled for good.
        await LoadGenerator.RunAsync(fixedAnswer, Connections, WarmUp, Returning);
        await LoadGenerator.RunAsync(go, Connections, WarmUp, Returning, paths: paths);
        await world.Host.Journal.WhenProjectedAsync();

        var before = world.Events();
        var commits = world.Host.Journal.Commits;
        List<Round> bareRounds = [],
            goRounds = [];
        var lag = TimeSpan.Zero;
        for (var i = 1; i <= rounds; i++)
        {
            bareRounds.Add(await LoadGenerator.RunAsync(fixedAnswer, Connections, duration, Returning));
            goRounds.Add(await LoadGenerator.RunAsync(go, Connections, duration, Returning, paths: paths));
            // The next round of the bare endpoint starts only when nothing is left to do from this one.
            var watch = Stopwatch.StartNew();
            await world.Host.Journal.WhenProjectedAsync();
            lag = watch.Elapsed > lag ? watch.Elapsed : lag;
            Print($"round {i}  bare", bareRounds[^1]);
            Print($"round {i}  /go ", goRounds[^1]);
        }
        var sent = goRounds.Sum(round => round.Answered);
        var recorded = world.Events() - before;
        commits = world.Host.Journal.Commits - commits;
        var health = world.Host.Journal.Health;
        Console.WriteLine(
            $"sent {sent:N0}, recorded {recorded:N0}, failed {goRounds.Sum(round => round.Failed)}, lost "
                + $"{health.Lost}; everything projected at most {lag.TotalSeconds:0.00} s after a round's end"
        );
        Console.WriteLine(
            $"{(double)recorded / commits:0.0} visits a commit; {Allocated(goRounds):N0} bytes allocated an answer, "
                + $"{Allocated(bareRounds):N0} by the bare endpoint"
        );
        await PrintMinuteAsync(world, go, paths, quick ? TimeSpan.FromSeconds(5) : TimeSpan.FromMinutes(1));
        Console.WriteLine(
            "ratio of /go to the bare endpoint, median of the rounds: "
                + $"{Median(goRounds.Zip(bareRounds, (g, b) => g.PerSecond / b.PerSecond)):0.00} by answers a "
                + $"second, {Median(goRounds.Zip(bareRounds, (g, b) => b.Cost / g.Cost)):0.00} by processor time, "
                + "which a busy machine disturbs less"
        );
    }

    /// <summary>How long it takes from a change in Studio until the link answers by it.</summary>
    private static async Task PrintReachAsync(BenchWorld world)
    {
        var test = world.Get<TestStore>().Open()[0];
        var funnel = world.Get<FunnelStore>().AllSteps().Single(step => step.Id == test.Step).Funnel;
        var times = new List<double>();
        for (var i = 0; i < 9; i++)
        {
            var watch = Stopwatch.StartNew();
            await world
                .Get<TestStore>()
                .ChangeWeightsAsync(
                    test.Id,
                    i % 2 == 0 ? Weights.Even(10) : Weights.Create(100, 0, 0, 0, 0, 0, 0, 0, 0, 0)
                );
            times.Add(watch.Elapsed.TotalMilliseconds);
        }
        Console.WriteLine(
            $"a change reaches the link after {Median(times):0} ms (median of {times.Count}; the slowest "
                + $"{times.Max():0} ms)"
        );
    }

    /// <summary>Can a load that lasts be kept up with?</summary>
    private static async Task PrintMinuteAsync(BenchWorld world, Uri go, IReadOnlyList<string> paths, TimeSpan duration)
    {
        var round = await LoadGenerator.RunAsync(go, Connections, duration, Returning, paths: paths, perSecond: Steady);
        var watch = Stopwatch.StartNew();
        await world.Host.Journal.WhenProjectedAsync();
        Console.WriteLine(
            $"{duration.TotalSeconds:0} s at {Steady:N0} a second: {round.PerSecond:N0} a second answered, "
                + $"p50 {round.Quantile(0.5):0.00} ms, p99 {round.Quantile(0.99):0.00} ms; everything projected "
                + $"{watch.Elapsed.TotalSeconds:0.0} s after the end"
        );
    }

    private static void Print(string name, Round round) =>
        Console.WriteLine(
            $"{name}  {Figure.Padded(round.PerSecond)} a second   p50 {round.Quantile(0.5):0.00} ms   p99 "
                + $"{round.Quantile(0.99):0.00} ms   {round.Cost:0} µs of a core each"
        );

    private static double Allocated(List<Round> rounds) => Median(rounds.Select(round => round.AllocatedEach));

    private static double Median(IEnumerable<double> values)
    {
        double[] sorted = [.. values.Order()];
        return (sorted[(sorted.Length - 1) / 2] + sorted[sorted.Length / 2]) / 2;
    }

    private static async Task<WebApplication> StartBareAsync()
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls($"http://127.0.0.1:{BenchWorld.FreePort()}");
        builder.WebHost.ConfigureKestrel(kestrel => kestrel.AddServerHeader = false);
        var app = builder.Build();
        app.MapGet("/bare", http =>
        {
            http.Response.StatusCode = StatusCodes.Status302Found;
            http.Response.Headers.Location = "https://larkrow.example/a";
            return Task.CompletedTask;
        });
        await app.StartAsync();
        return app;
    }
}
