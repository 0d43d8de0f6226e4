using System.Diagnostics;
using Microsoft.Extensions.DependencyInjection;
using Wexil.App.Monitoring;
using Wexil.App.Outbox;
using Wexil.Bench.Faults;
using Wexil.Store;
using Wexil.Web.Hosting;
using Wexil.Web.Studio.Account;

namespace Wexil.Bench;

/// <summary>
/// A month in fast motion: visitors and opt-ins of each day, the looks at tests, the outbox, and somebody who opens
/// screens. Memory should stay flat, and the data grow in a line.
/// </summary>
public static class SoakBench
{
    private const int Days = 30,
        PrintedEvery = 5;
    private const string Line = "{0,4} {1,9:N0} {2,8:N0} {3,8:N1} {4,7:N1} {5,15:N1}  {6}";

    private static readonly string[] Screens =
    [
        "/",
        "/tests",
        "/people",
        "/sales",
        "/f/fault/fault/count",
        "/f/fault/fault/send",
        "/f/fault/sources",
    ];

    public static async Task RunAsync(bool quick)
    {
        var perDay = quick ? 500 : 10_000;
        await using var world = await FaultWorld.MakeAsync();
        var clock = new ShiftedClock();
        await using var host = await WexilHost.StartAsync(world.Options, clock);
        using var owner = new HttpClient { BaseAddress = world.Studio };
        await owner.GetAsync($"/sign-in?key={host.Services.GetRequiredService<SignInLinks>().Issue()}");
        Console.WriteLine($"{Days} days of {perDay:N0} visits, every second with an opt-in.");
        Console.WriteLine(
            Line,
            "day",
            "visits",
            "heap MB",
            "data MB",
            "log MB",
            "MB per 100,000",
            "slowest screen, ms"
        );
        var before = new FileInfo(host.Options.Data + "/wexil.db").Length;
        for (var day = 1; day <= Days; day++)
        {
            clock.Shift = TimeSpan.FromDays(day);
            await using (var visitors = new FaultVisitors(world.Visitors, world.Page, remembers: false).Begin())
                await visitors.ServeAsync(perDay);
            await host.Journal.WhenProjectedAsync();
            await host.Services.GetRequiredService<TestMonitor>().LookAsync();
            await host.Services.GetRequiredService<OutboxDelivery>().SendDueAsync(default);
            var took = await OpenAsync(owner);
            if (day % PrintedEvery == 0 || day == 1)
                Print(host, day, perDay, before, took);
        }
    }

    /// <summary>Opens each screen, and says which took the longest.</summary>
    private static async Task<string> OpenAsync(HttpClient owner)
    {
        var (slowest, longest) = ("", TimeSpan.Zero);
        foreach (var screen in Screens)
        {
            var watch = Stopwatch.StartNew();
            (await owner.GetAsync(screen)).EnsureSuccessStatusCode();
            if (watch.Elapsed > longest)
                (slowest, longest) = (screen, watch.Elapsed);
        }
        return $"{slowest} {longest.TotalMilliseconds:N0}";
    }

    private static void Print(WexilHost host, int day, int perDay, long before, string slowest)
    {
        const double mega = 1_000_000;
        var size = host.Services.GetRequiredService<SizeStore>().Read();
        var visits = (long)day * perDay;
        Console.WriteLine(
            Line,
            day,
            visits,
            GC.GetTotalMemory(forceFullCollection: true) / mega,
            size.Data / mega,
            size.Log / mega,
            (size.Data - before) / mega / visits * 100_000,
            slowest
        );
    }
}
