using System.Diagnostics;
using System.Net;
using Microsoft.Data.Sqlite;
using Microsoft.Extensions.DependencyInjection;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Store;
using Wexil.Web.Hosting;

namespace Wexil.Bench.Faults;

/// <summary>
/// A data folder with one test of two hosted pages, and the real program on it as a process of its own.
/// </summary>
public sealed class FaultWorld : IAsyncDisposable
{
    private static readonly TimeSpan StartTime = TimeSpan.FromSeconds(60);
    private Process? _program;

    private FaultWorld(string folder) => Folder = folder;

    public string Folder { get; }

    /// <summary>What visitors leave their address on.</summary>
    public string Page { get; private set; } = "";

    public Uri Studio { get; } = new($"http://localhost:{BenchWorld.FreePort()}");
    public Uri Visitors { get; } = new($"http://127.0.0.1:{BenchWorld.FreePort()}");

    public WexilOptions Options =>
        new()
        {
            Data = Folder,
            Studio = Studio,
            Visitors = Visitors,
            FollowsClock = false,
        };

    /// <param name="folder">An empty one; null for one of its own.</param>
    /// <param name="forwardTo">Where opt-ins are forwarded; null for nowhere.</param>
    public static async Task<FaultWorld> MakeAsync(string? folder = null, Uri? forwardTo = null)
    {
        var world = new FaultWorld(folder ?? Directory.CreateTempSubdirectory("wexil-fault-").FullName);
        await using var host = await WexilHost.StartAsync(world.Options);
        T Get<T>()
            where T : notnull => host.Services.GetRequiredService<T>();
        var (funnels, pages) = (Get<FunnelStore>(), Get<PageStore>());
        var funnel = await funnels.CreateAsync("Fault");
        var step = (await funnels.AddStepAsync(funnel.Id, StepKind.OptIn, "Fault", "fault"))!;
        var thanks = (await funnels.AddStepAsync(funnel.Id, StepKind.ThankYou, "Thanks", "fault-thanks"))!;
        var html = PageBundle.OneFile("<h1>Fault</h1><form><input type=email name=email></form>");
        var (a, b) = (await pages.AddAsync(step.Id, "A", html), await pages.AddAsync(step.Id, "B", html));
        await pages.AddAsync(thanks.Id, "Thanks", PageBundle.OneFile("<h1>Thanks</h1>"));
        await Get<TestStore>().StartAsync(new(step.Id, thanks.Id, "Fault", "", 0.1, 0.2, [a, b], Weights.Even(2)));
        world.Page = pages.Find(a)!.Slug;
        if (forwardTo is not null)
        {
            await Get<SettingStore>().SetFetchesPrivateAddressesAsync(true);
            await Get<OptInStore>().SetAsync(step.Id, OptInSettings.Default with { ForwardTo = forwardTo });
        }
        return world;
    }

    /// <summary>Starts the program, and returns once it answers.</summary>
    public async Task StartAsync()
    {
        var start = new ProcessStartInfo("dotnet")
        {
            ArgumentList =
            {
                typeof(WexilHost).Assembly.Location,
                "serve",
                "--data",
                Folder,
                "--studio",
                $"{Studio}",
                "--visitors",
                $"{Visitors}",
                "--backups",
                "none",
            },
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        _program = Process.Start(start)!;
        _ = _program.StandardOutput.ReadToEndAsync();
        _ = _program.StandardError.ReadToEndAsync();
        using var client = new HttpClient { BaseAddress = Visitors };
        var watch = Stopwatch.StartNew();
        while (watch.Elapsed < StartTime)
        {
            try
            {
                if ((await client.GetAsync("/ready")).StatusCode == HttpStatusCode.OK)
                    return;
            }
            catch (HttpRequestException)
            {
                // Not yet.
            }
            await Task.Delay(20);
        }
        throw new InvalidOperationException("The program did not start within a minute.");
    }

    /// <summary>Ends it at once, as a power cut would.</summary>
    public async Task KillAsync()
    {
        _program!.Kill();
        await _program.WaitForExitAsync();
    }

    /// <summary>Asks it to end, and returns how long that took.</summary>
    public async Task<TimeSpan> EndAsync()
    {
        var watch = Stopwatch.StartNew();
        using (var kill = Process.Start("kill", ["-TERM", $"{_program!.Id}"]))
            await kill.WaitForExitAsync();
        await _program.WaitForExitAsync();
        return watch.Elapsed;
    }

    /// <summary>
    /// Counts what the visitors were told against what is in the data file, after everything is projected.
    /// </summary>
    public async Task<FaultCount> CountAsync(FaultVisitors visitors)
    {
        await using (var host = await WexilHost.StartAsync(Options))
            await host.Journal.WhenProjectedAsync();
        await using var file = new SqliteConnection($"Data Source={Folder}/wexil.db;Pooling=false;Mode=ReadOnly");
        file.Open();
        // By a clock that is behind, the test has not begun yet, and who comes is a visit outside of it.
        var (came, enrolled, optedIn) = (Rows(file, "kind IN (1, 2)"), Rows(file, "kind = 2"), Rows(file, "kind = 4"));
        return new(
            visitors.Served.Count + visitors.OptedIn.Count,
            came.Count + optedIn.Count,
            visitors.Served.Keys.Count(visitor => !came.ContainsKey(visitor))
                + visitors.OptedIn.Keys.Count(visitor => !optedIn.ContainsKey(visitor)),
            came.Values.Count(times => times > 1) + optedIn.Values.Count(times => times > 1),
            Number(file, "SELECT sum(visitors) FROM test_tallies") == enrolled.Count
                && Number(file, "SELECT count(*) FROM leads") == optedIn.Count
        );
    }

    private static Dictionary<string, long> Rows(SqliteConnection file, string which)
    {
        using var command = file.CreateCommand();
        command.CommandText = $"SELECT hex(visitor), count(*) FROM events WHERE {which} GROUP BY visitor";
        using var reader = command.ExecuteReader();
        var rows = new Dictionary<string, long>();
        while (reader.Read())
            rows[reader.GetString(0)] = reader.GetInt64(1);
        return rows;
    }

    private static long Number(SqliteConnection file, string query)
    {
        using var command = file.CreateCommand();
        command.CommandText = query;
        return command.ExecuteScalar() as long? ?? 0;
    }

    public async ValueTask DisposeAsync()
    {
        if (_program is { HasExited: false })
            await KillAsync();
        _program?.Dispose();
        _program = null;
        if (Directory.Exists(Folder))
            Directory.Delete(Folder, recursive: true);
    }
}

/// <summary>What came of a fault.</summary>
/// <param name="Served">Visits and opt-ins that were answered.</param>
/// <param name="Recorded">Those in the data file; more than were served where an answer did not arrive.</param>
/// <param name="Lost">Served and not recorded.</param>
/// <param name="Twice">Recorded more than once.</param>
/// <param name="Agrees">The counts say the same as the events.</param>
public sealed record FaultCount(long Served, long Recorded, long Lost, long Twice, bool Agrees)
{
    public bool IsGood => Lost == 0 && Twice == 0 && Agrees;
}
