using Microsoft.Data.Sqlite;
using Wexil.Core.Statistics;
using Wexil.Store.Recording;
using Wexil.Tests;

namespace Wexil.Store.Tests;

public sealed class JournalTests
{
    [Fact]
    public async Task What_is_appended_is_committed_projected_and_credited_to_the_page_that_won_it()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        JournalEvent[] enrolled = [.. Enumerable.Range(0, 100).Select(i => world.Enrols(test, i % 2))];
        var answers = await Task.WhenAll(enrolled.Select(world.Journal.AppendAsync));
        Assert.All(answers, answer => Assert.Equal(Recorded.Committed, answer));
        // Every fifth visitor reaches the goal, and some of them twice.
        foreach (var e in enrolled.Where((_, i) => i % 5 == 0))
            await world.Journal.AppendAsync(world.Reaches(test, e.Visitor));
        await world.Journal.AppendAsync(world.Reaches(test, enrolled[0].Visitor));
        await world.Journal.WhenProjectedAsync();

        var arms = world.Tallies.Phases(test, world.Tests.Phases(test.Id)).Single().Arms;
        Assert.Equal([new Arm(50, 10), new Arm(50, 10)], arms);
        Assert.Equal(100, world.Tallies.StepVisitors()[test.Step]);
        Assert.Equal(20, world.Tallies.StepVisitors()[test.Goal]);
    }

    [Fact]
    public async Task The_same_event_again_changes_nothing_and_counting_again_gives_the_same()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        JournalEvent[] events = [.. Enumerable.Range(0, 40).Select(i => world.Enrols(test, i % 2))];
        events =
        [
            .. events,
            .. events.Take(9).Select(e => world.Reaches(test, e.Visitor)),
            .. events
                .Take(5)
                .Select(e => new JournalEvent(
                    Guid.CreateVersion7(),
                    world.Time.GetUtcNow(),
                    EventKind.OptIn,
                    e.Visitor,
                    e.Step,
                    e.Page,
                    Data: "ann@larkrow.example"
                )),
        ];
        foreach (var e in events)
            await world.Journal.AppendAsync(e);
        await world.Journal.WhenProjectedAsync();
        var once = world.Tables();

        foreach (var e in events.Reverse())
            await world.Journal.AppendAsync(e);
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(once, world.Tables());
        Assert.Equal(events.Length, world.Events());

        await world.Journal.RecountAsync();
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(once, world.Tables());
    }

    [Fact]
    public async Task Visitors_of_the_page_kept_stay_out_when_the_verdict_is_taken_back()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var before = world.Enrols(test, 0);
        await world.Journal.AppendAsync(before);
        Assert.Equal(1, await world.Verdicts.KeepAsync([new(test.Id, test.Pages[1], "Keep B.", "{}")], "by hand"));
        world.Time.Advance(TimeSpan.FromHours(1));
        // While B is kept: the visitor enrolled on A sees B, and so does someone new; both reach the goal.
        var between = world.Enrols(test, 1) with { Kind = EventKind.Apart, Phase = null };
        await world.Journal.AppendAsync(between);
        await world.Journal.AppendAsync(between with { Id = Guid.CreateVersion7(), Visitor = before.Visitor });
        await world.Journal.AppendAsync(world.Reaches(test, between.Visitor));
        Assert.True(await world.Verdicts.TakeBackAsync(test.Id));
        world.Time.Advance(TimeSpan.FromHours(1));
        await world.Journal.AppendAsync(world.Reaches(test, between.Visitor));
        await world.Journal.AppendAsync(world.Reaches(test, before.Visitor));
        await world.Journal.WhenProjectedAsync();

        var phases = world.Tests.Phases(test.Id);
        Assert.Equal(["Started", "Verdict taken back"], phases.Select(phase => phase.Reason));
        var arms = world.Tallies.Phases(world.Tests.Find(test.Id)!, phases);
        Assert.Equal([new Arm(1, 0), new Arm(0, 0)], arms[0].Arms);
        Assert.Equal([new Arm(0, 0), new Arm(0, 0)], arms[1].Arms);
        Assert.Equal(test.Pages[1], world.Database.PlaceOf(between.Visitor, test.Id)!.Value.Page);
    }

    [Fact]
    public async Task A_lock_that_is_held_for_a_moment_as_by_whoever_reads_a_log_being_written_is_waited_for()
    {
        // The moment lasts until the lock is let go, however long the machine takes over that.
        var aMinute = TimeSpan.FromMinutes(1);
        using var world = new World(options: new(Patience: aMinute) { LockPatience = aMinute });
        var test = await world.StartTestAsync();
        using var other = new SqliteConnection($"Data Source={world.Folder.DataFile};Pooling=False");
        other.Open();
        using var begin = new SqliteCommand("BEGIN IMMEDIATE", other);
        using var end = new SqliteCommand("ROLLBACK", other);
        for (var i = 0; i < 5; i++)
        {
            begin.ExecuteNonQuery();
            var appended = world.Journal.AppendAsync(world.Enrols(test, 0));
            await Task.Delay(TimeSpan.FromMilliseconds(5));
            end.ExecuteNonQuery();
            Assert.Equal(Recorded.Committed, await appended);
            Assert.Null(world.Journal.Health.Trouble);
        }
    }

    [Fact]
    public async Task A_locked_file_keeps_no_visitor_waiting_and_loses_and_doubles_nothing()
    {
        using var world = new World(options: new(Patience: TimeSpan.FromMilliseconds(100)));
        var test = await world.StartTestAsync();
        using (var other = new SqliteConnection($"Data Source={world.Folder.DataFile};Pooling=false"))
        {
            other.Open();
            using var holds = other.BeginTransaction(deferred: false);
            Assert.Equal(Recorded.Late, await world.Journal.AppendAsync(world.Enrols(test, 0)));
            Assert.Equal(Recorded.Late, await world.Journal.AppendAsync(world.Enrols(test, 1)));
            await Eventually.HoldsAsync(() => world.Journal.Health.Trouble is not null);
            Assert.Equal(2, world.Journal.Health.Waiting);
        }
        await Eventually.HoldsAsync(() => world.Journal.Health is { IsWell: true, Waiting: 0 });
        Assert.Equal(2, world.Events());
    }

    [Fact]
    public async Task What_waits_in_the_spill_file_is_recorded_by_the_next_start_once()
    {
        var path = TemporaryFolder.Create("spill");
        JournalEvent[] events;
        using (var world = new World(path, new(Patience: TimeSpan.FromMilliseconds(50))))
        {
            var test = await world.StartTestAsync();
            events = [.. Enumerable.Range(0, 20).Select(i => world.Enrols(test, i % 2))];
            using var other = new SqliteConnection($"Data Source={world.Folder.DataFile};Pooling=false");
            other.Open();
            using var holds = other.BeginTransaction(deferred: false);
            Assert.All(await Task.WhenAll(events.Select(world.Journal.AppendAsync)), answer =>
                Assert.Equal(Recorded.Late, answer)
            );
            // The process ends while the store is still locked.
            world.Journal.Dispose();
        }
        using (var world = new World(path))
        {
            await Eventually.HoldsAsync(() => world.Journal.Health.Waiting == 0);
            await world.Journal.WhenProjectedAsync();
            Assert.Equal(events.Length, world.Events());
        }
        using (var world = new World(path))
            Assert.Equal(events.Length, world.Events());
    }

    [Fact]
    public async Task When_there_is_no_room_anywhere_the_loss_is_counted()
    {
        using var world = new World(
            options: new(Patience: TimeSpan.FromMilliseconds(50), Memory: 1_500, SpillBytes: 0)
        );
        var test = await world.StartTestAsync();
        using (var other = new SqliteConnection($"Data Source={world.Folder.DataFile};Pooling=false"))
        {
            other.Open();
            using var holds = other.BeginTransaction(deferred: false);
            await world.Journal.AppendAsync(world.Enrols(test, 0));
            var answers = await Task.WhenAll(
                Enumerable.Range(0, 10).Select(_ => world.Journal.AppendAsync(world.Enrols(test, 0)))
            );
            Assert.Equal(8, answers.Count(answer => answer == Recorded.Lost));
            Assert.Equal(8, world.Journal.Health.Lost);
        }
        await Eventually.HoldsAsync(() => world.Journal.Health.Waiting == 0);
        Assert.Equal(11 - world.Journal.Health.Lost, world.Events());
    }

    [Theory]
    [InlineData(800, true)]
    [InlineData(801, false)]
    public async Task What_waits_is_bounded_by_its_bytes_and_its_room_is_free_again(int letters, bool fits)
    {
        // Two events besides their data, which may hold 800 characters of two bytes.
        using var world = new World(
            options: new(Patience: TimeSpan.FromMilliseconds(50), Memory: 800 + 1_600, SpillBytes: 0)
        );
        var test = await world.StartTestAsync();
        for (var round = 1; round <= 2; round++)
        {
            using (var other = new SqliteConnection($"Data Source={world.Folder.DataFile};Pooling=false"))
            {
                other.Open();
                using var holds = other.BeginTransaction(deferred: false);
                await world.Journal.AppendAsync(world.Enrols(test, 0));
                var large = world.Enrols(test, 0) with { Data = new('a', letters) };
                Assert.Equal(fits ? Recorded.Late : Recorded.Lost, await world.Journal.AppendAsync(large));
            }
            await Eventually.HoldsAsync(() => world.Journal.Health.Waiting == 0);
            Assert.Equal(fits ? 2 * round : round, world.Events());
        }
    }
}
