using System.Collections.Concurrent;
using System.Diagnostics;
using System.Net;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Identity;
using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Core.Splits;
using Wexil.Store;
using Wexil.Web.Hosting;
using Wexil.Web.Visitors;

namespace Wexil.Web.Tests;

/// <summary>The real program as a process of its own, in the worst moments.</summary>
public sealed partial class ProcessTests
{
    private readonly Uri _studio = new($"http://localhost:{WexilFixture.FreePort()}"), _visitors = new($"http://127.0.0.1:{WexilFixture.FreePort()}");

    [Fact(Timeout = 120_000)]
    public async Task Killed_under_load_it_has_every_visit_that_was_answered_and_tallies_that_agree_with_the_events()
    {
        var data = Directory.CreateTempSubdirectory("wexil-kill-").FullName;
        var tested = await PrepareAsync(data);
        var answered = new ConcurrentBag<string>();
        using (var program = await StartAsync(data))
        {
            using var ended = new CancellationTokenSource();
            var load = Enumerable.Range(0, 16).Select(_ => Task.Run(() => Visit(answered, ended.Token))).ToArray();
            while (answered.Count < 2_000) await Task.Delay(5);
            program.Kill();
            await program.WaitForExitAsync();
            await ended.CancelAsync();
            await Task.WhenAll(load);
        }
        await using var again = await WexilHost.StartAsync(Options(data));
        await again.Journal.WhenProjectedAsync();
        var recorded = Column(again, "SELECT visitor FROM events WHERE kind = 1 OR kind = 2").ToHashSet();
        Assert.DoesNotContain(answered, visitor => !recorded.Contains(visitor));
        var counted = Column(again, "SELECT sum(visitors) FROM test_tallies").Single();
        Assert.Equal(Column(again, "SELECT count(DISTINCT visitor) FROM events WHERE kind = 2").Single(), counted);

        var before = Column(again, "SELECT test_id || phase_id || '/' || page_id || '/' || visitors || '/' || conversions FROM test_tallies");
        await again.Journal.RecountAsync();
        await again.Journal.WhenProjectedAsync();
        Assert.Equal(before, Column(again, "SELECT test_id || phase_id || '/' || page_id || '/' || visitors || '/' || conversions FROM test_tallies"));
        Assert.True(int.Parse(counted) >= answered.Count, $"{counted} enrolled of {answered.Count} answered on {tested}");
    }

    [RootFact(Timeout = 120_000)]
    public async Task Started_on_a_full_disk_it_serves_visitors_says_so_and_records_each_once_when_there_is_room()
    {
        var data = Directory.CreateTempSubdirectory("wexil-full-").FullName;
        Run("mount", "-t", "tmpfs", "-o", "size=24m", "tmpfs", data);
        try
        {
            await PrepareAsync(data);
            var filler = Path.Combine(data, "filler");
            FillUp(filler);
            var answered = new ConcurrentBag<string>();
            using (var program = await StartAsync(data))
            {
                // Enough to use up the room that starting gave back.
                using (var enough = new CancellationTokenSource()) await Visit(answered, enough.Token, 6_000);
                Assert.Equal(6_000, answered.Distinct().Count());
                Assert.Contains("The store is not well", await TodayAsync(program));
                File.Delete(filler);
                using var patience = new CancellationTokenSource(TimeSpan.FromSeconds(30));
                while ((await TodayAsync(program)).Contains("The store is not well", StringComparison.Ordinal)) await Task.Delay(100, patience.Token);
                program.Kill();
                await program.WaitForExitAsync();
            }
            await using var again = await WexilHost.StartAsync(Options(data));
            await again.Journal.WhenProjectedAsync();
            Assert.Equal(answered.Order(), Column(again, "SELECT visitor FROM events WHERE kind = 2").Order());
        }
        finally
        {
            Run("umount", data);
        }
    }

    [Fact(Timeout = 120_000)]
    public async Task Started_with_a_locked_file_it_serves_visitors_and_records_them_later()
    {
        var data = Directory.CreateTempSubdirectory("wexil-locked-").FullName;
        await PrepareAsync(data);
        var answered = new ConcurrentBag<string>();
        using var locks = new SqliteConnection($"Data Source={Path.Combine(data, "wexil.db")};Pooling=false");
        locks.Open();
        var held = locks.BeginTransaction(deferred: false);
        using var program = await StartAsync(data);
        using (var enough = new CancellationTokenSource()) await Visit(answered, enough.Token, 4);
        Assert.Contains("The store is not well", await TodayAsync(program));
        held.Dispose();
        using var patience = new CancellationTokenSource(TimeSpan.FromSeconds(30));
        while ((await TodayAsync(program)).Contains("The store is not well", StringComparison.Ordinal)) await Task.Delay(50, patience.Token);
        program.Kill();
        await program.WaitForExitAsync();
        await using var again = await WexilHost.StartAsync(Options(data));
        await again.Journal.WhenProjectedAsync();
        Assert.Equal(answered.Order(), Column(again, "SELECT visitor FROM events WHERE kind = 2").Order());
    }

    [Fact(Timeout = 120_000)]
    public async Task A_taken_port_and_an_unwritable_folder_are_one_clear_line()
    {
        var data = Directory.CreateTempSubdirectory("wexil-port-").FullName;
        await PrepareAsync(data);
        using var first = await StartAsync(data);
        Assert.Matches("^wexil: The data folder .* is in use by another Wexil[^\n]*\n$", await FailsAsync(data));
        Assert.Matches("^wexil: [^\n]*in use[^\n]*\n$", await FailsAsync(Directory.CreateTempSubdirectory("wexil-port2-").FullName));
        var file = Path.GetTempFileName();
        Assert.Matches("^wexil: The data folder [^\n]* cannot be made[^\n]*\n$", await FailsAsync(Path.Combine(file, "data")));
        first.Kill();
    }

    private WexilOptions Options(string data) => new() { Data = data, Studio = _studio, Visitors = _visitors };

    /// <summary>A funnel with a running test, and a password so that starting prints a sign-in link.</summary>
    private async Task<TestId> PrepareAsync(string data)
    {
        await using var host = await WexilHost.StartAsync(Options(data));
        var time = TimeProvider.System;
        var funnels = new FunnelStore(host.Database, host.Journal, time);
        var pages = new PageStore(host.Database, host.Journal, time);
        var funnel = await funnels.CreateAsync("Balcony Harvest");
        var step = (await funnels.AddStepAsync(funnel.Id, StepKind.OptIn, "Calendar", "calendar"))!;
        var thanks = (await funnels.AddStepAsync(funnel.Id, StepKind.ThankYou, "Thanks", "thanks"))!;
        var a = await pages.AddAsync(step.Id, "A", WexilFixture.Bundle("<h1>A</h1>"));
        var b = await pages.AddAsync(step.Id, "B", WexilFixture.Bundle("<h1>B</h1>"));
        await new SettingStore(host.Database, host.Journal).SetPasswordHashAsync(new PasswordHasher<object>().HashPassword(new(), "tomatoes in pots"));
        return (await new TestStore(host.Database, host.Journal, time).StartAsync(new(step.Id, thanks.Id, "Test", "", 0.2, 0.2, [a, b], Weights.Even(2))))!.Value;
    }

    /// <summary>New visitors one after the other, each noted once it is answered, until the load ends or so many have come.</summary>
    private async Task Visit(ConcurrentBag<string> answered, CancellationToken ended, int most = int.MaxValue)
    {
        using var client = new HttpClient(new SocketsHttpHandler { UseCookies = false }) { BaseAddress = _visitors };
        client.DefaultRequestHeaders.UserAgent.ParseAdd(WexilFixture.Desktop);
        for (var i = 0; i < most && !ended.IsCancellationRequested; i++)
        {
            try
            {
                using var answer = await client.GetAsync("/go/calendar", CancellationToken.None);
                Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
                Assert.True(VisitorId.TryParse(answer.Headers.GetValues("Set-Cookie").Single().AsSpan(VisitorCookie.Name.Length + 1, VisitorId.TextLength), out var visitor));
                answered.Add(Convert.ToHexString(visitor.Value.ToByteArray(bigEndian: true)));
            }
            catch (HttpRequestException) when (most == int.MaxValue)
            {
                return;
            }
        }
    }

    private static string[] Column(WexilHost host, string sql) => host.Database.Read(connection =>
    {
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        using var row = command.ExecuteReader();
        var values = new List<string>();
        while (row.Read()) values.Add(row.GetValue(0) is byte[] bytes ? Convert.ToHexString(bytes) : row.GetValue(0).ToString()!);
        return values.ToArray();
    });

    private async Task<Program> StartAsync(string data)
    {
        var program = Program.Start(data, _studio, _visitors);
        while (await program.Process.StandardOutput.ReadLineAsync() is { } line)
        {
            if (SignInKey().Match(line) is { Success: true } key) program.Key = key.Value;
            if (line.Contains("Ctrl+C", StringComparison.Ordinal)) return program;
        }
        throw new InvalidOperationException("It did not start: " + await program.Process.StandardError.ReadToEndAsync());
    }

    private async Task<string> FailsAsync(string data)
    {
        using var program = Program.Start(data, _studio, _visitors);
        var said = await program.Process.StandardError.ReadToEndAsync();
        await program.WaitForExitAsync();
        Assert.Equal(1, program.Process.ExitCode);
        return said;
    }

    private async Task<string> TodayAsync(Program program)
    {
        program.Owner ??= await SignInAsync(program.Key!);
        return await program.Owner.GetStringAsync("/");
    }

    private async Task<HttpClient> SignInAsync(string key)
    {
        var client = new HttpClient { BaseAddress = _studio };
        await client.GetAsync("/sign-in?" + key);
        return client;
    }

    private static void FillUp(string file)
    {
        using var stream = new FileStream(file, FileMode.Create, FileAccess.Write, FileShare.None, bufferSize: 0);
        foreach (var size in new[] { 1 << 20, 4096, 1 })
        {
            try
            {
                while (true) stream.Write(new byte[size]);
            }
            catch (IOException)
            {
                // Not another block of this size.
            }
        }
    }

    private static void Run(string command, params string[] arguments)
    {
        using var process = Process.Start(command, arguments)!;
        process.WaitForExit();
        Assert.Equal(0, process.ExitCode);
    }

    [GeneratedRegex("key=[A-Za-z0-9_-]+")]
    private static partial Regex SignInKey();

    private sealed class Program(Process process) : IDisposable
    {
        public Process Process { get; } = process;
        public string? Key { get; set; }
        public HttpClient? Owner { get; set; }

        public static Program Start(string data, Uri studio, Uri visitors)
        {
            var start = new ProcessStartInfo("dotnet") { RedirectStandardOutput = true, RedirectStandardError = true };
            foreach (var argument in new[] { typeof(WexilHost).Assembly.Location, "serve", "--data", data, "--studio", studio.ToString(), "--visitors", visitors.ToString() })
                start.ArgumentList.Add(argument);
            return new(Process.Start(start)!);
        }

        public void Kill() => Process.Kill();

        public Task WaitForExitAsync() => Process.WaitForExitAsync();

        public void Dispose()
        {
            if (!Process.HasExited) Process.Kill();
            Owner?.Dispose();
            Process.Dispose();
        }
    }

    /// <summary>A fact that needs root, to mount a disk small enough to fill.</summary>
    private sealed class RootFactAttribute : FactAttribute
    {
        public RootFactAttribute()
        {
            if (Environment.UserName != "root") Skip = "Mounting a small disk needs root.";
        }
    }
}
