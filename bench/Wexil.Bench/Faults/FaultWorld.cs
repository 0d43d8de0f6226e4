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
    private readonly CookieContainer _cookies = new();
    private Process? _program;

    private FaultWorld(string folder) => Folder = folder;

    public string Folder { get; }

    public FunnelId Funnel { get; private set; }

    /// <summary>The step with the test, whose link is /go/fault.</summary>
    public StepId Step { get; private set; }

    /// <summary>What visitors leave their address on.</summary>
    public string Page { get; private set; } = "";

    /// <summary>The most that the program had in memory since it started, in bytes.</summary>
    public long PeakMemory
    {
        get
        {
            _program!.Refresh();
            return _program.PeakWorkingSet64;
        }
    }

    /// <summary>It has not ended by itself.</summary>
    public bool Runs => _program is { HasExited: false };

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
    /// <param name="furnish">What else it has; told by its services.</param>
    public static async Task<FaultWorld> MakeAsync(
        string? folder = null,
        Func<FaultWorld, IServiceProvider, Task>? furnish = null
    )
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
        (world.Funnel, world.Step, world.Page) = (funnel.Id, step.Id, pages.Find(a)!.Slug);
        if (furnish is not null)
            await furnish(world, host.Services);
        return world;
    }

    /// <summary>Starts the program, and returns once it answers.</summary>
    /// <param name="limits">What its service allows it; null for all that the machine has.</param>
    /// <param name="smtp">Its mail server; null for simulated mail.</param>
    /// <param name="more">Further arguments.</param>
    public async Task StartAsync(ServiceLimits? limits = null, Uri? smtp = null, params string[] more)
    {
        var start = new ProcessStartInfo("sh")
        {
            ArgumentList =
            {
                "-c",
                $"{(limits is null ? "" : $"ulimit -n {limits.Files}; ")}exec dotnet \"$@\"",
                "sh",
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
        foreach (var argument in more)
            start.ArgumentList.Add(argument);
        if (limits is not null)
            start.Environment["DOTNET_GCHeapHardLimit"] = $"{limits.Heap:x}";
        if (smtp is not null)
            start.Environment["WEXIL_SMTP"] = smtp.OriginalString;
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

    /// <summary>The owner, signed in by the link that the command line prints.</summary>
    public async Task<HttpClient> OwnerAsync()
    {
        var start = new ProcessStartInfo("dotnet", [typeof(WexilHost).Assembly.Location, "sign-in", "--data", Folder])
        {
            RedirectStandardOutput = true,
        };
        using var command = Process.Start(start)!;
        var printed = await command.StandardOutput.ReadToEndAsync();
        var link = printed.Split(' ', '\n').First(word => word.Contains("/sign-in?key=", StringComparison.Ordinal));
        var owner = Again();
        (await owner.GetAsync(link)).Dispose();
        return owner;
    }

    /// <summary>The owner's browser, with connections of its own.</summary>
    public HttpClient Again() => new(new SocketsHttpHandler { CookieContainer = _cookies }) { BaseAddress = Studio };

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

/// <summary>What a program may have.</summary>
/// <param name="Heap">Of the collector, in bytes.</param>
/// <param name="Files">Open at a time, connections too.</param>
public sealed record ServiceLimits(long Heap, int Files)
{
    /// <summary>Those of the unit that ships: of 900 MB the runtime takes three quarters for its heap.</summary>
    public static readonly ServiceLimits Unit = new((900L << 20) * 3 / 4, 65_536);
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
