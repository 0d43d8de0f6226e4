using System.Diagnostics;
using System.Net.Sockets;
using System.Text;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.Data.Sqlite;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using Wexil.Store;
using Wexil.Web.Hosting;

namespace Wexil.Bench.Faults;

/// <summary>
/// What fails in the life of a server, done to the real program while visitors come: nothing that was answered may be
/// lost, and nothing may count twice.
/// </summary>
public static class FaultsBench
{
    private const string Line = "{0,-34} {1,9:N0} {2,9:N0} {3,5:N0} {4,6:N0}  {5}";

    /// <returns>0, or 1 where something was lost or counted twice, or an attack ended the program.</returns>
    public static async Task<int> RunAsync(bool quick)
    {
        Console.WriteLine(Line, "fault", "served", "recorded", "lost", "twice", "notes");
        var isGood = true;
        foreach (var (name, happens) in Faults(quick))
        {
            var (count, notes) = await happens();
            isGood &= count.IsGood;
            Console.WriteLine(
                Line,
                name,
                count.Served,
                count.Recorded,
                count.Lost,
                count.Twice,
                count.Agrees ? notes : $"{notes}; the counts differ from the events"
            );
        }
        return await AttacksBench.RunAsync(quick) && isGood ? 0 : 1;
    }

    private static IEnumerable<(string Name, Func<Task<(FaultCount, string)>> Happens)> Faults(bool quick)
    {
        var (kills, ends, visits) = quick ? (10, 3, 300) : (100, 20, 3_000);
        yield return ($"SIGKILL at {kills} random moments", () => KilledAsync(kills));
        yield return ($"SIGTERM {ends} times", () => EndedAsync(ends));
        yield return ("data file locked for 5 s", () => LockedAsync(visits));
        yield return ("disk full, then room again", () => FullAsync(visits));
        yield return ("slow disk", () => SlowDiskAsync(visits));
        yield return ("clock +1 day, -1 day, +40 days", () => ClockAsync(visits));
        yield return ("1,000 slow clients", () => SlowClientsAsync(visits));
        yield return ("receivers hang, lie, break", () => ReceiversAsync(visits));
    }

    private static async Task<(FaultCount, string)> KilledAsync(int times)
    {
        var random = new Random(7);
        await using var world = await FaultWorld.MakeAsync();
        var visitors = new FaultVisitors(world.Visitors, world.Page).Begin();
        for (var i = 0; i < times; i++)
        {
            await world.StartAsync();
            await visitors.ServeAsync(1);
            await Task.Delay(random.Next(400));
            await world.KillAsync();
        }
        await visitors.DisposeAsync();
        return (await world.CountAsync(visitors), $"{times} starts on what was left");
    }

    private static async Task<(FaultCount, string)> EndedAsync(int times)
    {
        await using var world = await FaultWorld.MakeAsync();
        var visitors = new FaultVisitors(world.Visitors, world.Page).Begin();
        var longest = TimeSpan.Zero;
        for (var i = 0; i < times; i++)
        {
            await world.StartAsync();
            await visitors.ServeAsync(100);
            var took = await world.EndAsync();
            longest = took > longest ? took : longest;
        }
        await visitors.DisposeAsync();
        return (await world.CountAsync(visitors), $"ended within {longest.TotalSeconds:0.0} s");
    }

    private static async Task<(FaultCount, string)> LockedAsync(int visits)
    {
        await using var world = await FaultWorld.MakeAsync();
        await world.StartAsync();
        var visitors = new FaultVisitors(world.Visitors, world.Page).Begin();
        await visitors.ServeAsync(visits);
        var before = visitors.Served.Count;
        await using (var file = new SqliteConnection($"Data Source={world.Folder}/wexil.db;Pooling=false"))
        {
            file.Open();
            await using var held = file.BeginTransaction(deferred: false);
            await Task.Delay(5_000);
        }
        var during = visitors.Served.Count - before;
        await visitors.ServeAsync(visits);
        await visitors.DisposeAsync();
        await world.EndAsync();
        return (await world.CountAsync(visitors), $"{during:N0} visitors answered while it was locked");
    }

    private static async Task<(FaultCount, string)> FullAsync(int visits)
    {
        var folder = Directory.CreateTempSubdirectory("wexil-full-").FullName;
        using (var mount = Process.Start("mount", ["-t", "tmpfs", "-o", "size=24m", "tmpfs", folder]))
            await mount.WaitForExitAsync();
        if (new DriveInfo(folder).TotalSize > 32 << 20)
            return (new(0, 0, 0, 0, true), "not done: mounting a small disk needs root");
        try
        {
            return await FullAsync(folder, visits);
        }
        finally
        {
            using var unmount = Process.Start("umount", [folder]);
            await unmount.WaitForExitAsync();
        }
    }

    private static async Task<(FaultCount, string)> FullAsync(string folder, int visits)
    {
        await using var world = await FaultWorld.MakeAsync(Path.Combine(folder, "data"));
        await world.StartAsync();
        var visitors = new FaultVisitors(world.Visitors, world.Page).Begin();
        await visitors.ServeAsync(visits);
        var filler = Path.Combine(folder, "filler");
        FillUp(filler);
        var before = visitors.Served.Count;
        await Task.Delay(5_000);
        var during = visitors.Served.Count - before;
        File.Delete(filler);
        await visitors.ServeAsync(visits);
        await visitors.DisposeAsync();
        await world.EndAsync();
        return (await world.CountAsync(visitors), $"{during:N0} visitors answered in 5 s on the full disk");
    }

    private static void FillUp(string file)
    {
        using var stream = new FileStream(file, FileMode.Create, FileAccess.Write, FileShare.None, bufferSize: 0);
        foreach (var size in (int[])[1 << 20, 4096, 1])
        {
            try
            {
                while (true)
                    stream.Write(new byte[size]);
            }
            catch (IOException)
            {
                // Not another block of this size.
            }
        }
    }

    /// <summary>Others write to the same disk and wait for it, as hard as it goes.</summary>
    private static async Task<(FaultCount, string)> SlowDiskAsync(int visits)
    {
        await using var world = await FaultWorld.MakeAsync();
        await world.StartAsync();
        var files = Enumerable.Range(0, 4).Select(i => Path.Combine(world.Folder, $"busy-{i}")).ToArray();
        Process[] writers =
        [
            .. files.Select(file =>
                Process.Start(
                    new ProcessStartInfo(
                        "dd",
                        ["if=/dev/zero", $"of={file}", "bs=1M", "count=20000", "oflag=dsync", "conv=notrunc"]
                    )
                    {
                        RedirectStandardError = true,
                    }
                )!
            ),
        ];
        var visitors = new FaultVisitors(world.Visitors, world.Page).Begin();
        await Task.WhenAny(visitors.ServeAsync(visits * 2), Task.Delay(TimeSpan.FromSeconds(8)));
        foreach (var writer in writers)
        {
            writer.Kill();
            await writer.WaitForExitAsync();
            writer.Dispose();
        }
        await visitors.DisposeAsync();
        await world.EndAsync();
        return (await world.CountAsync(visitors), $"p99 {visitors.P99:0} ms while four others wait for the disk");
    }

    private static async Task<(FaultCount, string)> ClockAsync(int visits)
    {
        await using var world = await FaultWorld.MakeAsync();
        var clock = new ShiftedClock();
        FaultVisitors visitors;
        await using (await WexilHost.StartAsync(world.Options, clock))
        {
            visitors = new FaultVisitors(world.Visitors, world.Page).Begin();
            foreach (var days in (int[])[0, 1, -1, 40, 0])
            {
                clock.Shift = TimeSpan.FromDays(days);
                await visitors.ServeAsync(visits / 2);
            }
            await visitors.DisposeAsync();
        }
        return (await world.CountAsync(visitors), "while it runs, and back");
    }

    private static async Task<(FaultCount, string)> SlowClientsAsync(int visits)
    {
        await using var world = await FaultWorld.MakeAsync();
        await world.StartAsync();
        using var ended = new CancellationTokenSource();
        Task[] slow = [.. Enumerable.Range(0, 1_000).Select(_ => DribbleAsync(world.Visitors, ended.Token))];
        var visitors = new FaultVisitors(world.Visitors, world.Page).Begin();
        await visitors.ServeAsync(visits * 2);
        await visitors.DisposeAsync();
        await ended.CancelAsync();
        await Task.WhenAll(slow);
        await world.EndAsync();
        return (await world.CountAsync(visitors), $"p99 of the others {visitors.P99:0.0} ms");
    }

    /// <summary>Sends a request a byte a second, again and again.</summary>
    private static async Task DribbleAsync(Uri address, CancellationToken ended)
    {
        var request = Encoding.ASCII.GetBytes($"GET /go/fault HTTP/1.1\r\nHost: {address.Authority}\r\nX-Slow: ");
        while (!ended.IsCancellationRequested)
        {
            try
            {
                using var client = new TcpClient();
                await client.ConnectAsync(address.Host, address.Port, ended);
                await client.GetStream().WriteAsync(request, ended);
                while (true)
                {
                    await Task.Delay(1_000, ended);
                    await client.GetStream().WriteAsync("x"u8.ToArray(), ended);
                }
            }
            catch (Exception error) when (error is IOException or SocketException or OperationCanceledException)
            {
                // Thrown out; it comes again.
            }
        }
    }

    private static async Task<(FaultCount, string)> ReceiversAsync(int visits)
    {
        var (address, calls) = (new Uri($"http://127.0.0.2:{BenchWorld.FreePort()}"), 0);
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        await using var receiver = builder.Build();
        receiver.Urls.Add(address.OriginalString);
        receiver.Run(http => MisbehaveAsync(http, Interlocked.Increment(ref calls)));
        await receiver.StartAsync();
        await using var world = await FaultWorld.MakeAsync(
            furnish: async (made, services) =>
            {
                await services.GetRequiredService<SettingStore>().SetFetchesPrivateAddressesAsync(true);
                await services
                    .GetRequiredService<OptInStore>()
                    .SetAsync(made.Step, OptInSettings.Default with { ForwardTo = new(address, "/lead") });
            }
        );
        await world.StartAsync();
        var visitors = new FaultVisitors(world.Visitors, world.Page, connections: 1).Begin();
        await visitors.ServeAsync(visits);
        var watch = Stopwatch.StartNew();
        while (calls < 20 && watch.Elapsed < TimeSpan.FromSeconds(60))
            await visitors.ServeAsync(10);
        await visitors.DisposeAsync();
        await world.EndAsync();
        return (await world.CountAsync(visitors), $"{calls} calls to them; p99 of visitors {visitors.P99:0.0} ms");
    }

    private static async Task MisbehaveAsync(HttpContext http, int call)
    {
        switch (call % 6)
        {
            case 0:
                await Task.Delay(TimeSpan.FromSeconds(30), http.RequestAborted);
                break;
            case 1:
                http.Abort();
                break;
            case 2:
                http.Response.StatusCode = 500;
                break;
            case 3:
                http.Response.Headers.ContentEncoding = "gzip";
                await http.Response.WriteAsync("this is not gzip");
                break;
            case 4:
                http.Response.Redirect("//");
                break;
            default:
                for (var i = 0; i < 10_000 && !http.RequestAborted.IsCancellationRequested; i++)
                    await http.Response.WriteAsync(new string('x', 10_000));
                break;
        }
    }
}
