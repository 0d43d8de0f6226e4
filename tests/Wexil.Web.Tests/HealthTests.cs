using System.Net;
using Wexil.App.Backups;
using Wexil.App.Health;
using Wexil.App.Outbox;
using Wexil.Store;
using Wexil.Store.Backups;
using Wexil.Tests;
using Wexil.Web.Hosting;

namespace Wexil.Web.Tests;

/// <summary>How Wexil itself is, and who is told.</summary>
public sealed class HealthTests : IAsyncLifetime
{
    private readonly string _backups = Path.Combine(TemporaryFolder.Create("backups"), "made"),
        _handOver = Path.Combine(TemporaryFolder.Create("hand-over"), "take"),
        _taken = Path.Combine(TemporaryFolder.Create("hand-over"), "taken");
    private WexilFixture _wexil = null!;

    public Task InitializeAsync()
    {
        Program("exit 0");
        _wexil = new WexilFixture
        {
            Adjust = options =>
                options with
                {
                    Backups = new(_backups, "calendula", _handOver),
                    MetricsKey = "known to the collector",
                },
        };
        return _wexil.InitializeAsync();
    }

    public Task DisposeAsync() => _wexil.DisposeAsync();

    [Fact]
    public async Task Backups_are_made_when_they_are_due_handed_over_and_can_be_restored()
    {
        Program($"cp \"$1\" {_taken}");
        var schedule = _wexil.Get<BackupSchedule>();
        await _wexil.StartTestAsync("kept");
        await schedule.MakeDueAsync();
        await schedule.MakeDueAsync();
        var first = Assert.Single(Directory.GetFiles(_backups));
        Assert.Equal(await File.ReadAllBytesAsync(first), await File.ReadAllBytesAsync(_taken));
        _wexil.Time.Advance(TimeSpan.FromHours(1));
        await schedule.MakeDueAsync();
        Assert.Equal(2, Directory.GetFiles(_backups).Length);
        var restored = TemporaryFolder.Create("restored");
        using (var folder = DataFolder.Open(restored))
            Restore.Run(first, folder, _wexil.Time.GetUtcNow(), "calendula");
        Assert.True(File.Exists(Path.Combine(restored, "wexil.db")));
    }

    [Fact]
    public async Task A_program_that_does_not_take_a_backup_is_called_again_and_said_on_Today()
    {
        Program("echo The bucket is full. >&2; exit 3");
        var schedule = _wexil.Get<BackupSchedule>();
        await schedule.MakeDueAsync();
        using var owner = await _wexil.OwnerAsync();
        await _wexil.StartTestAsync("shown");
        Assert.Contains("Handing backups over has failed", await TodayAsync(owner), StringComparison.Ordinal);
        Program($"cp \"$1\" {_taken}");
        await schedule.MakeDueAsync();
        Assert.True(File.Exists(_taken));
        Assert.DoesNotContain("Handing backups over", await TodayAsync(owner), StringComparison.Ordinal);
        Assert.Single(Directory.GetFiles(_backups));
    }

    [Fact]
    public async Task A_missed_backup_is_a_problem_after_more_than_a_day()
    {
        var health = _wexil.Get<HealthProblems>();
        await _wexil.Get<BackupSchedule>().MakeDueAsync();
        _wexil.Time.Advance(HealthProblems.MaxBackupAge);
        Assert.Empty(health.Now());
        _wexil.Time.Advance(TimeSpan.FromMinutes(1));
        Assert.StartsWith("The last backup is of", Assert.Single(health.Now()).Sentence, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Failed_requests_are_a_problem_from_five_in_five_minutes_on_and_are_mailed_once()
    {
        await _wexil.Get<SettingStore>().SetOwnerMailAsync("owner@larkrow.example");
        var (counts, health, alarm) = (
            _wexil.Get<DoorCounts>().Visitors,
            _wexil.Get<HealthProblems>(),
            _wexil.Get<HealthAlarm>()
        );
        for (var i = 0; i < HealthProblems.MaxFailures - 1; i++)
            counts.Add(503);
        counts.Add(404);
        Assert.Empty(health.Now());
        counts.Add(500);
        Assert.Contains("5 requests failed", Assert.Single(health.Now()).Sentence, StringComparison.Ordinal);
        await alarm.LookAsync();
        Assert.Equal(0, Mails());
        await FailOnAsync(HealthAlarm.Patience - TimeSpan.FromSeconds(1));
        Assert.Equal(0, Mails());
        await FailOnAsync(TimeSpan.FromSeconds(1));
        Assert.Equal(1, Mails());
        await FailOnAsync(TimeSpan.FromHours(2));
        Assert.Equal(1, Mails());
        // Well again, and wrong again: that is another matter.
        _wexil.Time.Advance(TimeSpan.FromMinutes(HealthProblems.Minutes));
        Assert.Empty(health.Now());
        await alarm.LookAsync();
        for (var i = 0; i < HealthProblems.MaxFailures; i++)
            counts.Add(500);
        await alarm.LookAsync();
        await FailOnAsync(HealthAlarm.Patience);
        Assert.Equal(2, Mails());

        async Task FailOnAsync(TimeSpan passes)
        {
            _wexil.Time.Advance(passes);
            for (var i = 0; i < HealthProblems.MaxFailures; i++)
                counts.Add(500);
            await alarm.LookAsync();
        }

        long Mails() => _wexil.Get<OutboxStore>().Unsent().Waiting;
    }

    [Fact]
    public void Requests_are_forgotten_after_an_hour_and_slow_ones_when_others_follow()
    {
        var counts = _wexil.Get<DoorCounts>().Studio;
        var before = counts.All;
        counts.Add(200);
        counts.Add(500);
        Assert.Equal((2L, 1L), counts.Last(1));
        _wexil.Time.Advance(TimeSpan.FromMinutes(59));
        counts.Add(200);
        Assert.Equal((1L, 0L), counts.Last(1));
        Assert.Equal((3L, 1L), counts.Last(60));
        _wexil.Time.Advance(TimeSpan.FromMinutes(1));
        Assert.Equal((1L, 0L), counts.Last(60));
        Assert.Equal(before + 3, counts.All);
        for (var i = 0; i < 25; i++)
            counts.AddSlow($"/f/{i}", TimeSpan.FromSeconds(2));
        Assert.Equal((20, "/f/24"), (counts.SlowOnes.Count, counts.SlowOnes[0].Address));
    }

    [Fact]
    public async Task The_figures_are_told_to_whoever_knows_the_key_and_say_what_the_screen_says()
    {
        var tested = await _wexil.StartTestAsync("measured");
        using (var visitor = _wexil.Visitor())
            await visitor.GetAsync($"/go/{tested.Step.Slug}");
        await _wexil.Host.Journal.WhenProjectedAsync();
        using var collector = new HttpClient { BaseAddress = _wexil.Studio };
        Assert.NotEqual(HttpStatusCode.OK, (await collector.GetAsync("/metrics")).StatusCode);
        collector.DefaultRequestHeaders.Authorization = new("Bearer", "known to the collectoR");
        Assert.NotEqual(HttpStatusCode.OK, (await collector.GetAsync("/metrics")).StatusCode);
        collector.DefaultRequestHeaders.Authorization = new("Bearer", "known to the collector");
        var told = await collector.GetStringAsync("/metrics");
        Assert.Contains("\nwexil_events_total 1\n", told, StringComparison.Ordinal);
        Assert.Contains("\nwexil_requests_total{door=\"visitors\"} 1\n", told, StringComparison.Ordinal);
        using var owner = await _wexil.OwnerAsync();
        var screen = WexilFixture.Read(await owner.GetStringAsync("/status"));
        Assert.Contains("Everything is working.", screen, StringComparison.Ordinal);
        Assert.Contains("<dt>Recorded so far</dt><dd>1</dd>", screen, StringComparison.Ordinal);
        // The visitors' door tells nobody, whatever they know.
        using var outside = new HttpClient { BaseAddress = _wexil.Visitors };
        outside.DefaultRequestHeaders.Authorization = new("Bearer", "known to the collector");
        Assert.Equal(HttpStatusCode.NotFound, (await outside.GetAsync("/metrics")).StatusCode);
    }

    [Fact]
    public async Task Growth_is_told_from_the_events_of_a_week()
    {
        var tested = await _wexil.StartTestAsync("grown");
        await Crowd.ComeAsync(_wexil, tested, 70, 0, 0);
        var size = _wexil.Get<SizeStore>().Read();
        Assert.Equal(size.Events / 7.0, size.EventsPerDay, 6);
        Assert.Equal((size.Data - size.Unused) / 7.0, size.GrowthPerDay, 6);
        _wexil.Time.Advance(TimeSpan.FromDays(8));
        var later = _wexil.Get<SizeStore>().Read();
        Assert.Equal((0, null), (later.EventsPerDay, later.DaysUntilFull));
        await Crowd.ComeAsync(_wexil, tested, 35, 0, 0);
        var grown = _wexil.Get<SizeStore>().Read();
        Assert.Equal((grown.Events - size.Events) / 7.0, grown.EventsPerDay, 6);
    }

    private static async Task<string> TodayAsync(HttpClient owner) =>
        WexilFixture.Read(await owner.GetStringAsync("/"));

    /// <summary>What the owner's program does.</summary>
    private void Program(string does)
    {
        File.WriteAllText(_handOver, $"#!/bin/sh\n{does}\n");
        File.SetUnixFileMode(_handOver, UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute);
    }
}
