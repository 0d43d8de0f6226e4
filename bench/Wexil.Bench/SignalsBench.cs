using System.Diagnostics;
using System.Globalization;
using System.Text;
using System.Text.Json;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Goals;
using Wexil.Core.Sales;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.Bench;

/// <summary>
/// Signals and sales a second, each against a bare endpoint of the framework that takes the same in the same program;
/// and what was sent is recorded.
/// </summary>
public static class SignalsBench
{
    private const int Connections = 64,
        Visitors = 20_000;

    public static async Task RunAsync(bool quick)
    {
        var (rounds, length) = quick ? (1, TimeSpan.FromSeconds(3)) : (4, TimeSpan.FromSeconds(6));
        await using var world = await BenchWorld.StartAsync();
        await using var bare = await BareAsync();
        var (host, plain) = (world.Host.Options.Visitors, new Uri(bare.Urls.Single()));
        await world
            .Get<GoalStore>()
            .AddAsync(world.Test.Id, new(GoalKind.Signal, "Asked") { EveryTime = true, Value = 100 });
        var key = world.Get<GoalStore>().ForTest(world.Test.Id).Single().Key;
        var paths = (await EnrolAsync(world)).Select(visitor => $"/signal/{key}?visitor={visitor}").ToArray();
        var secret = Encoding.UTF8.GetBytes(await world.Get<SecretStore>().RenewHookSecretAsync());

        await LoadGenerator.RunAsync(host, Connections, TimeSpan.FromSeconds(1), 0, "204", paths);
        await LoadGenerator.RunAsync(new(plain, "/"), Connections, TimeSpan.FromSeconds(1), 0, "204");
        var before = world.Events();
        long sent = 0;
        List<double> ratios = [],
            saleRatios = [];
        for (var i = 0; i < rounds; i++)
        {
            var simple = await LoadGenerator.RunAsync(new(plain, "/"), Connections, length, 0, "204", paths);
            var ours = await LoadGenerator.RunAsync(host, Connections, length, 0, "204", paths);
            sent += ours.Answered;
            ratios.Add(ours.PerSecond / simple.PerSecond);
            Console.WriteLine(
                $"signals: {Figure.Padded(ours.PerSecond)} a second, p99 {ours.Quantile(0.99):0.0} ms; bare "
                    + $"204 {Figure.Padded(simple.PerSecond)}; ratio {ratios[^1]:0.00}"
            );
        }
        await world.Host.Journal.WhenProjectedAsync();
        Console.WriteLine(
            $"signals: sent {sent:N0}, recorded {world.Events() - before:N0}; median ratio {Median(ratios):0.00}"
        );

        before = world.Events();
        sent = 0;
        for (var i = 0; i < rounds; i++)
        {
            var simple = await PostAsync(new(plain, "/sale"), length, secret, -1 - i);
            var ours = await PostAsync(new(host, "/hooks/sale"), length, secret, i);
            sent += ours.Count;
            saleRatios.Add(ours.PerSecond / simple.PerSecond);
            Console.WriteLine(
                $"sales:   {Figure.Padded(ours.PerSecond)} a second; bare POST "
                    + $"{Figure.Padded(simple.PerSecond)}; ratio {saleRatios[^1]:0.00}"
            );
        }
        var watch = Stopwatch.StartNew();
        await world.Host.Journal.WhenProjectedAsync();
        Console.WriteLine(
            $"sales:   sent {sent:N0}, recorded {world.Events() - before:N0}; median ratio "
                + $"{Median(saleRatios):0.00}; all counted {watch.Elapsed.TotalSeconds:0.0} s after the end"
        );
    }

    private static async Task<IReadOnlyList<VisitorId>> EnrolAsync(BenchWorld world)
    {
        var chance = new SeededChance(3);
        var now = DateTimeOffset.UtcNow;
        var phase = world.Get<TestStore>().Phases(world.Test.Id)[^1].Id;
        VisitorId[] visitors = [.. Enumerable.Range(0, Visitors).Select(_ => VisitorId.New(now, chance))];
        await Task.WhenAll(
            visitors.Select(
                (visitor, i) =>
                    world.Host.Journal.AppendAsync(
                        new(
                            Guid.CreateVersion7(now),
                            now,
                            EventKind.Enrol,
                            visitor,
                            world.Test.Step,
                            world.Test.Pages[i % 2],
                            world.Test.Id,
                            phase
                        )
                    )
            )
        );
        await world.Host.Journal.WhenProjectedAsync();
        return visitors;
    }

    private static async Task<(long Count, double PerSecond)> PostAsync(
        Uri address,
        TimeSpan length,
        byte[] secret,
        int round
    )
    {
        using var client = new HttpClient(new SocketsHttpHandler { MaxConnectionsPerServer = Connections });
        var watch = Stopwatch.StartNew();
        var counts = await Task.WhenAll(
            Enumerable
                .Range(0, Connections)
                .Select(connection =>
                    Task.Run(async () =>
                    {
                        long count = 0;
                        for (; watch.Elapsed < length; count++)
                        {
                            var body = JsonSerializer.SerializeToUtf8Bytes(
                                new
                                {
                                    order = $"{round}-{connection}-{count}",
                                    amount = "49.00",
                                    currency = "USD",
                                    product = "Harvest Kit",
                                }
                            );
                            var at = DateTimeOffset.UtcNow.ToUnixTimeSeconds().ToString(CultureInfo.InvariantCulture);
                            using var request = new HttpRequestMessage(HttpMethod.Post, address)
                            {
                                Content = new ByteArrayContent(body),
                            };
                            request.Headers.Add(HookSignature.TimestampHeader, at);
                            request.Headers.Add(HookSignature.SignatureHeader, HookSignature.Compute(secret, at, body));
                            using var answer = await client.SendAsync(request);
                            answer.EnsureSuccessStatusCode();
                        }
                        return count;
                    })
                )
        );
        return (counts.Sum(), counts.Sum() / watch.Elapsed.TotalSeconds);
    }

    private static async Task<WebApplication> BareAsync()
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls($"http://127.0.0.1:{BenchWorld.FreePort()}");
        var app = builder.Build();
        app.MapGet("/{**rest}", (HttpContext http) =>
        {
            http.Response.StatusCode = StatusCodes.Status204NoContent;
        });
        app.MapPost("/sale", async (HttpContext http) =>
        {
            using var body = new MemoryStream();
            await http.Request.Body.CopyToAsync(body);
            await http.Response.WriteAsJsonAsync(new { order = "x" });
        });
        await app.StartAsync();
        return app;
    }

    private static double Median(List<double> values) => values.Order().ElementAt(values.Count / 2);
}
