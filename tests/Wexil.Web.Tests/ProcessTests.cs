using System.Collections.Concurrent;
using System.Diagnostics;
using System.Net;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Identity;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;
using Wexil.Core.Targeting;
using Wexil.Core.Visitors;
using Wexil.Demo;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Store.Team;
using Wexil.Tests;
using Wexil.Web.Hosting;
using Wexil.Web.Visitors;

namespace Wexil.Web.Tests;

/// <summary>The real program as a process of its own, in the worst moments.</summary>
[Trait("Pace", "slow")]
public sealed partial class ProcessTests
{
    private readonly Uri _studio = new($"http://localhost:{WexilFixture.FreePort()}"),
        _visitors = new($"http://127.0.0.1:{WexilFixture.FreePort()}");

    [Fact(Timeout = 120_000)]
    public async Task Killed_under_load_with_every_rule_on_it_has_lost_nothing_and_counts_nothing_twice()
    {
        var data = TemporaryFolder.Create("kill");
        await PrepareRulesAsync(data);
        var shown = new ConcurrentBag<(string Visitor, string Step, string Page)>();
        using (var program = await StartAsync(data))
        {
            var load = Enumerable
                .Range(0, 16)
                .Select(seed => Task.Run(() => WalkAsync(shown, new Random(seed))))
                .ToArray();
            await Eventually.HoldsAsync(() => shown.Count >= 4_000);
            program.Kill();
            await program.WaitForExitAsync();
            await Task.WhenAll(load);
        }
        await using var again = await WexilHost.StartAsync(Options(data));
        await again.Journal.WhenProjectedAsync();

        var recorded = Rows(again, "SELECT visitor, slug FROM events e JOIN steps s ON s.id = e.step_id").ToHashSet();
        Assert.DoesNotContain(shown, visit => !recorded.Contains($"{visit.Visitor}|{visit.Step}"));
        Assert.Empty(
            Rows(
                again,
                "SELECT visitor, test_id FROM events WHERE kind = 2 GROUP BY visitor, test_id HAVING count(*) > 1"
            )
        );
        // Whoever has a place sees its page and no other.
        var places = Rows(
                again,
                """
                SELECT e.visitor, s.slug, p.name
                FROM enrolments e JOIN tests t ON t.id = e.test_id JOIN steps s ON s.id = t.step_id
                JOIN pages p ON p.id = e.page_id
                """
            )
            .ToHashSet();
        Assert.DoesNotContain(shown, visit =>
            visit.Step != "thanks" && !places.Contains($"{visit.Visitor}|{visit.Step}|{visit.Page}")
        );
        Assert.Equal(
            Rows(again, "SELECT test_id, count(DISTINCT visitor) FROM events WHERE kind = 2 GROUP BY test_id"),
            Rows(again, "SELECT test_id, sum(visitors) FROM test_tallies GROUP BY test_id")
        );
        foreach (
            var reason in new[]
            {
                ExclusionReason.Share,
                ExclusionReason.Audience,
                ExclusionReason.Tied,
                ExclusionReason.Affiliate,
            }
        )
            Assert.True(
                int.Parse(
                    Rows(again, $"SELECT coalesce(sum(visitors), 0) FROM apart_tallies WHERE reason = {(int)reason}")
                        .Single()
                ) > 0,
                $"nobody was apart: {reason}"
            );
        Assert.NotEmpty(Rows(again, "SELECT * FROM pair_tallies WHERE conversions > 0"));

        var before = Tallies(again);
        await again.Journal.RecountAsync();
        await again.Journal.WhenProjectedAsync();
        Assert.Equal(before, Tallies(again));

        // Turns that were taken and never recorded are made up for.
        await Task.WhenAll(Enumerable.Range(100, 4).Select(seed => WalkAsync(shown, new Random(seed), 60)));
        await again.Journal.WhenProjectedAsync();
        var turns = Rows(
                again,
                """
                SELECT y.visitors
                FROM test_tallies y JOIN tests t ON t.id = y.test_id
                WHERE t.turns = 'InTurn'
                ORDER BY y.page_id
                """
            )
            .Select(int.Parse)
            .ToArray();
        Assert.All(turns.Zip([50, 30, 20]), turn =>
            Assert.InRange(turn.First - (turns.Sum() * turn.Second / 100.0), -1, 1)
        );
    }

    [Fact(Timeout = 120_000)]
    public async Task A_stand_by_copy_follows_by_each_backup_and_takes_over_with_all_until_the_last()
    {
        var (data, standBy) = (TemporaryFolder.Create("first"), TemporaryFolder.Create("stand-by"));
        var backups = TemporaryFolder.Create("handed-over");
        await PrepareAsync(data);
        var answered = new ConcurrentBag<string>();
        using (var program = await StartAsync(data))
        {
            for (var round = 1; round <= 3; round++)
            {
                await Visit(answered, CancellationToken.None, 50);
                var file = Path.Combine(backups, $"{round}.backup");
                Command("backup", file, "--data", data);
                Command("restore", file, "--replace", "--data", standBy);
            }
            program.Kill();
            await program.WaitForExitAsync();
        }
        using (var program = await StartAsync(standBy))
            await Visit(answered, CancellationToken.None, 50);
        await using var again = await WexilHost.StartAsync(Options(standBy));
        await again.Journal.WhenProjectedAsync();
        var recorded = Rows(again, "SELECT hex(visitor) FROM events WHERE kind = 2");
        Assert.Equal(200, recorded.Length);
        Assert.Equal(answered.Order(), recorded.Order());
        Assert.Empty(Directory.GetDirectories(standBy, "before-restore-*"));
    }

    /// <summary>Another command of the program.</summary>
    private static void Command(params string[] arguments) =>
        Run("dotnet", [typeof(WexilHost).Assembly.Location, .. arguments]);

    [RootFact(Timeout = 120_000)]
    public async Task Started_on_a_full_disk_it_serves_visitors_says_so_and_records_each_once_when_there_is_room()
    {
        var data = TemporaryFolder.Create("full");
        Run("mount", "-t", "tmpfs", "-o", "size=24m", "tmpfs", data);
        try
        {
            await PrepareAsync(data);
            var filler = Path.Combine(data, "filler");
            FillUp(filler);
            var answered = new ConcurrentBag<string>();
            using (var program = await StartAsync(data))
            {
                // Until the room that starting gave back is used up, however often it is won back meanwhile.
                var isWell = true;
                var asked = 0;
                for (; isWell && asked < 60_000; asked += 1_000)
                {
                    await Visit(answered, CancellationToken.None, 1_000);
                    isWell = await SavesAsync(program);
                }
                Assert.False(isWell, $"Still well after {asked} visitors.");
                Assert.Equal(asked, answered.Distinct().Count());
                File.Delete(filler);
                await Eventually.HoldsAsync(() => SavesAsync(program));
                program.Kill();
                await program.WaitForExitAsync();
            }
            await using var again = await WexilHost.StartAsync(Options(data));
            await again.Journal.WhenProjectedAsync();
            Assert.Equal(answered.Order(), Rows(again, "SELECT visitor FROM events WHERE kind = 2").Order());
        }
        finally
        {
            // What fails above is to be told, and not that something still holds the disk.
            Run("umount", "--lazy", data);
        }
    }

    [Fact(Timeout = 120_000)]
    public async Task Started_with_a_locked_file_it_serves_visitors_and_records_them_later()
    {
        var data = TemporaryFolder.Create("locked");
        await PrepareAsync(data);
        var answered = new ConcurrentBag<string>();
        using var locks = new SqliteConnection($"Data Source={Path.Combine(data, "wexil.db")};Pooling=false");
        locks.Open();
        var held = locks.BeginTransaction(deferred: false);
        using var program = await StartAsync(data);
        using (var enough = new CancellationTokenSource())
            await Visit(answered, enough.Token, 4);
        Assert.Contains("Wexil cannot save data", await TodayAsync(program));
        held.Dispose();
        await Eventually.HoldsAsync(() => SavesAsync(program));
        program.Kill();
        await program.WaitForExitAsync();
        await using var again = await WexilHost.StartAsync(Options(data));
        await again.Journal.WhenProjectedAsync();
        Assert.Equal(answered.Order(), Rows(again, "SELECT visitor FROM events WHERE kind = 2").Order());
    }

    [Fact(Timeout = 120_000)]
    public async Task A_taken_port_and_an_unwritable_folder_are_one_clear_line()
    {
        var data = TemporaryFolder.Create("port");
        await PrepareAsync(data);
        using var first = await StartAsync(data);
        Assert.Matches("^wexil: The data folder .* is in use by another Wexil[^\n]*\n$", await FailsAsync(data));
        Assert.Matches("^wexil: [^\n]*in use[^\n]*\n$", await FailsAsync(TemporaryFolder.Create("port2")));
        var file = Path.GetTempFileName();
        Assert.Matches(
            "^wexil: The data folder [^\n]* cannot be created[^\n]*\n$",
            await FailsAsync(Path.Combine(file, "data"))
        );
        first.Kill();
    }

    [Fact(Timeout = 120_000)]
    public async Task Asked_to_end_it_ends_well_and_a_second_demo_says_which_option_moves_its_simulators()
    {
        var data = TemporaryFolder.Create("end");
        await PrepareAsync(data);
        using var program = await StartAsync(data);
        Run("bash", "-c", $"kill -TERM {program.Process.Id}");
        await program.WaitForExitAsync();
        Assert.Equal(0, program.Process.ExitCode);

        var port = WexilFixture.FreePort();
        using var taken = new System.Net.Sockets.TcpListener(IPAddress.Parse("127.0.0.3"), port + 1);
        taken.Start();
        using var demo = Program.Start(
            TemporaryFolder.Create("demo"),
            _studio,
            _visitors,
            "demo",
            "--simulators",
            $"{port}"
        );
        var said = await demo.Process.StandardError.ReadToEndAsync();
        await demo.WaitForExitAsync();
        Assert.Equal(1, demo.Process.ExitCode);
        Assert.Matches(
            $"^wexil: The demo’s simulators cannot listen on 127.0.0.3:{port + 1}: [^\n]*Use --simulators [^\n]*\n$",
            said
        );
    }

    private WexilOptions Options(string data) =>
        new()
        {
            Data = data,
            Studio = _studio,
            Visitors = _visitors,
        };

    /// <summary>A funnel with a running test, and a password.</summary>
    private async Task PrepareAsync(string data)
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
        await new TeamStore(host.Database, host.Journal, time).SetPasswordHashAsync(
            MemberId.First,
            new PasswordHasher<object>().HashPassword(new(), "tomatoes in pots")
        );
        await new TestStore(host.Database, host.Journal, time).StartAsync(
            new(step.Id, thanks.Id, "Test", "", 0.2, 0.2, [a, b], Weights.Even(2))
        );
    }

    /// <summary>
    /// New visitors one after the other, each noted once it is answered, until the load ends or so many have come.
    /// </summary>
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
                Assert.True(
                    VisitorId.TryParse(
                        answer
                            .Headers.GetValues("Set-Cookie")
                            .Single()
                            .AsSpan(VisitorId.CookieName.Length + 1, VisitorId.TextLength),
                        out var visitor
                    )
                );
                answered.Add(Convert.ToHexString(visitor.Value.ToByteArray(bigEndian: true)));
            }
            catch (HttpRequestException) when (most == int.MaxValue)
            {
                return;
            }
        }
    }

    /// <summary>
    /// A funnel of two tested steps: one in turn for a part of the visitors, with a tie, an affiliate and a closed
    /// page; one by chance.
    /// </summary>
    private async Task PrepareRulesAsync(string data)
    {
        await using var host = await WexilHost.StartAsync(Options(data));
        var made = await new FunnelStore(host.Database, host.Journal, TimeProvider.System).CreateAsync(
            "Balcony Harvest",
            [
                new(StepKind.OptIn, "Calendar", "calendar", Hosted("A", "B", "C")),
                new(StepKind.Sales, "Kit", "kit", Hosted("D", "E")),
                new(StepKind.ThankYou, "Thanks", "thanks", Hosted("T")),
            ]
        );
        var steps = new FunnelStore(host.Database, host.Journal, TimeProvider.System).Steps(made.Id);
        var pages = new PageStore(host.Database, host.Journal, TimeProvider.System);
        PageId[] Of(int step) => [.. pages.ForStep(steps[step].Id).Select(page => page.Id)];
        var sources = new SourceStore(host.Database, host.Journal, TimeProvider.System);
        await sources.SaveAsync(
            made.Id,
            null,
            "ad",
            "Ad",
            SourceKind.Ad,
            30,
            new Dictionary<StepId, PageId> { [steps[0].Id] = Of(0)[1] }
        );
        await sources.SaveAsync(
            made.Id,
            null,
            "friend",
            "Friend",
            SourceKind.Affiliate,
            null,
            new Dictionary<StepId, PageId>()
        );
        var audience = Audience.Everyone with { Rules = [new(false, "staff", RuleKind.Present)] };
        var tests = new TestStore(host.Database, host.Journal, TimeProvider.System);
        await tests.StartAsync(
            new(
                steps[0].Id,
                steps[2].Id,
                "Headline",
                "",
                0.2,
                0.2,
                Of(0),
                Weights.Create(50, 30, 20),
                new(Allocation.Rotation, 80, audience, Of(0)[2], [Of(0)[0]], true, null)
            )
        );
        await tests.StartAsync(new(steps[1].Id, steps[2].Id, "Price", "", 0.2, 0.2, Of(1), Weights.Even(2)));

        static FunnelPage[] Hosted(params string[] names) =>
            [.. names.Select(name => new FunnelPage(name, WexilFixture.Bundle($"<h1>{name}</h1>"), null))];
    }

    /// <summary>
    /// Visitors who walk the funnel one after the other, double clicks and all, until the program is gone or so many
    /// have come; each answer is noted.
    /// </summary>
    private async Task WalkAsync(
        ConcurrentBag<(string Visitor, string Step, string Page)> shown,
        Random random,
        int most = int.MaxValue
    )
    {
        string[] arrivals =
        [
            "",
            "?s=letter",
            "?s=letter",
            "?s=ad",
            "?s=friend",
            "?staff=1",
            "?s=forum&utm_campaign=spring",
        ];
        try
        {
            for (var i = 0; i < most; i++)
            {
                using var client = new HttpClient { BaseAddress = _visitors };
                client.DefaultRequestHeaders.UserAgent.ParseAdd(WexilFixture.Desktop);
                var first = await Note(client, "calendar", arrivals[random.Next(arrivals.Length)], null);
                if (random.Next(3) == 0)
                    await Task.WhenAll(Note(client, "calendar", "", first), Note(client, "calendar", "", first));
                if (random.Next(2) == 0)
                    await Note(client, "kit", "", first);
                if (random.Next(2) == 0)
                    await Note(client, "thanks", "", first);
            }
        }
        catch (HttpRequestException) when (most == int.MaxValue)
        {
            // The program is gone.
        }

        async Task<string> Note(HttpClient client, string step, string query, string? visitor)
        {
            using var answer = await client.GetAsync($"/go/{step}{query}");
            Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
            if (visitor is null)
            {
                var cookie = answer
                    .Headers.GetValues("Set-Cookie")
                    .First(set => set.StartsWith(VisitorId.CookieName, StringComparison.Ordinal));
                Assert.True(
                    VisitorId.TryParse(cookie.AsSpan(VisitorId.CookieName.Length + 1, VisitorId.TextLength), out var id)
                );
                visitor = Convert.ToHexString(id.Value.ToByteArray(bigEndian: true));
            }
            shown.Add((visitor, step, Heading().Match(await answer.Content.ReadAsStringAsync()).Groups[1].Value));
            return visitor;
        }
    }

    private static string[] Tallies(WexilHost host) =>
        [
            .. ProjectedTables.All.SelectMany(table =>
                Rows(host, $"SELECT '{table}', * FROM {table}").Order(StringComparer.Ordinal)
            ),
        ];

    private static string[] Rows(WexilHost host, string sql) =>
        host.Database.Read(connection =>
        {
            using var command = connection.CreateCommand();
            command.CommandText = sql;
            using var row = command.ExecuteReader();
            var lines = new List<string>();
            while (row.Read())
                lines.Add(
                    string.Join(
                        '|',
                        Enumerable
                            .Range(0, row.FieldCount)
                            .Select(i =>
                                row.GetValue(i) is byte[] bytes
                                    ? Convert.ToHexString(bytes)
                                    : row.GetValue(i).ToString()
                            )
                    )
                );
            return lines.ToArray();
        });

    private async Task<Program> StartAsync(string data)
    {
        var program = Program.Start(data, _studio, _visitors);
        while (await program.Process.StandardOutput.ReadLineAsync() is { } line)
        {
            if (line.Contains("Ctrl+C", StringComparison.Ordinal))
                return program;
        }
        throw new InvalidOperationException(
            "It did not start: " + await program.Process.StandardError.ReadToEndAsync()
        );
    }

    private async Task<string> FailsAsync(string data)
    {
        using var program = Program.Start(data, _studio, _visitors);
        var said = await program.Process.StandardError.ReadToEndAsync();
        await program.WaitForExitAsync();
        Assert.Equal(1, program.Process.ExitCode);
        return said;
    }

    private async Task<bool> SavesAsync(Program program) =>
        !(await TodayAsync(program)).Contains("Wexil cannot save data", StringComparison.Ordinal);

    private async Task<string> TodayAsync(Program program)
    {
        program.Owner ??= await SignInAsync(program.Data);
        return await program.Owner.GetStringAsync("/");
    }

    private async Task<HttpClient> SignInAsync(string data)
    {
        var start = new ProcessStartInfo("dotnet", [typeof(WexilHost).Assembly.Location, "sign-in", "--data", data])
        {
            RedirectStandardOutput = true,
        };
        using var command = Process.Start(start)!;
        var said = await command.StandardOutput.ReadToEndAsync();
        var client = new HttpClient { BaseAddress = _studio };
        await client.GetAsync("/sign-in?" + SignInKey().Match(said).Value);
        return client;
    }

    private static void FillUp(string file)
    {
        using var stream = new FileStream(file, FileMode.Create, FileAccess.Write, FileShare.None, bufferSize: 0);
        foreach (var size in new[] { 1 << 20, 4096, 1 })
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

    private static void Run(string command, params string[] arguments)
    {
        using var process = Process.Start(command, arguments)!;
        process.WaitForExit();
        Assert.Equal(0, process.ExitCode);
    }

    [GeneratedRegex("<h1>(.)</h1>")]
    private static partial Regex Heading();

    [GeneratedRegex("key=[A-Za-z0-9_-]+")]
    private static partial Regex SignInKey();

    private sealed class Program(Process process, string data) : IDisposable
    {
        public Process Process { get; } = process;
        public string Data { get; } = data;
        public HttpClient? Owner { get; set; }

        public static Program Start(
            string data,
            Uri studio,
            Uri visitors,
            string command = "serve",
            params string[] more
        )
        {
            var program = command == "demo" ? typeof(DemoData) : typeof(WexilHost);
            var start = new ProcessStartInfo("dotnet") { RedirectStandardOutput = true, RedirectStandardError = true };
            foreach (
                var argument in (string[])
                    [
                        program.Assembly.Location,
                        command,
                        "--data",
                        data,
                        "--studio",
                        studio.ToString(),
                        "--visitors",
                        visitors.ToString(),
                        .. more,
                    ]
            )
                start.ArgumentList.Add(argument);
            return new(Process.Start(start)!, data);
        }

        public void Kill() => Process.Kill();

        public Task WaitForExitAsync() => Process.WaitForExitAsync();

        public void Dispose()
        {
            if (!Process.HasExited)
            {
                Process.Kill();
                // What it held open is free for whoever comes next.
                Process.WaitForExit();
            }
            Owner?.Dispose();
            Process.Dispose();
        }
    }

    /// <summary>A fact that needs root, to mount a disk small enough to fill.</summary>
    private sealed class RootFactAttribute : FactAttribute
    {
        public RootFactAttribute()
        {
            if (Environment.UserName != "root")
                Skip = "Mounting a small disk needs root.";
        }
    }
}
