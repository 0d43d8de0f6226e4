using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Core.Splits;

namespace Wexil.Store.Recording;

/// <summary>What a projected batch changed.</summary>
public sealed record Projected(IReadOnlyList<(VisitorId Visitor, TestId Test)> Places, IReadOnlySet<TestId> Tests, IReadOnlySet<StepId> Steps);

/// <summary>
/// Follows the events from the mark and keeps enrolments and tallies, so that no screen ever reads an event. Works on the
/// writer's connection, a batch a transaction; the mark moves with it, so nothing is projected twice.
/// </summary>
internal sealed class Projector : IDisposable
{
    private const long BucketMilliseconds = 15 * 60 * 1000;
    private readonly SqliteConnection _connection;
    private readonly HotStatement _events, _reach, _enrol, _place, _convert, _close, _lead;
    private Dictionary<long, List<GoalTest>> _goals = [];

    public Projector(SqliteConnection connection)
    {
        _connection = connection;
        _events = new(connection, "SELECT seq, id, at, kind, visitor, step_id, page_id, test_id, phase_id, data FROM events WHERE seq > ?1 ORDER BY seq LIMIT ?2");
        _reach = new(connection, "INSERT OR IGNORE INTO reached (step_id, visitor) VALUES (?1, ?2)");
        _enrol = new(connection, "INSERT OR IGNORE INTO enrolments (test_id, visitor, page_id, phase_id, at, closed) VALUES (?1, ?2, ?3, ?4, ?5, ?6)");
        _place = new(connection, "SELECT page_id, phase_id, at, converted_at, closed FROM enrolments WHERE test_id = ?1 AND visitor = ?2");
        _convert = new(connection, "UPDATE enrolments SET converted_at = ?3 WHERE test_id = ?1 AND visitor = ?2");
        _close = new(connection, "UPDATE enrolments SET closed = 1 WHERE test_id = ?1 AND visitor = ?2 AND page_id <> ?3");
        _lead = new(connection, "INSERT OR IGNORE INTO leads (event_id, at, email, page_id, visitor) VALUES (?1, ?2, ?3, ?4, ?5)");
        Mark = connection.Number("SELECT mark FROM projection") ?? 0;
        LoadGoals();
    }

    /// <summary>The last event that is projected.</summary>
    public long Mark { get; private set; }

    /// <summary>Which steps are goals of which tests; to be read again whenever Studio has written.</summary>
    public void LoadGoals()
    {
        var runs = _connection.Rows("SELECT test_id, started_at, ended_at FROM phases", row => (Test: row.GetInt64(0), From: row.GetInt64(1), Until: row.NumberOrNull(2) ?? long.MaxValue))
            .ToLookup(run => run.Test, run => (run.From, run.Until));
        _goals = _connection.Rows("SELECT id, goal_step_id FROM tests", row => (Test: row.GetInt64(0), Step: row.GetInt64(1)))
            .GroupBy(goal => goal.Step).ToDictionary(group => group.Key, group => group.Select(goal => new GoalTest(goal.Test, [.. runs[goal.Test]])).ToList());
    }

    /// <summary>Projects the next events, at most so many; null when there are none.</summary>
    public Projected? Next(int limit)
    {
        var batch = new Batch();
        using var transaction = _connection.BeginTransaction(deferred: false);
        var mark = Mark;
        foreach (var (seq, happened) in ReadEvents(mark, limit))
        {
            Apply(happened, batch);
            mark = seq;
        }
        if (mark == Mark) return null;
        Write(batch);
        _connection.Execute("UPDATE projection SET mark = $1", mark);
        transaction.Commit();
        Mark = mark;
        return new(batch.Places, batch.TestsTouched, batch.StepsTouched);
    }

    /// <summary>Forgets everything projected, so that it is counted again from the first event.</summary>
    public void Reset()
    {
        using var transaction = _connection.BeginTransaction(deferred: false);
        _connection.Execute("""
            DELETE FROM reached; DELETE FROM enrolments; DELETE FROM step_tallies; DELETE FROM step_buckets; DELETE FROM test_tallies;
            DELETE FROM test_buckets; DELETE FROM test_silences; DELETE FROM leads; UPDATE projection SET mark = 0;
            """);
        transaction.Commit();
        Mark = 0;
    }

    public void Dispose()
    {
        foreach (var statement in (HotStatement[])[_events, _reach, _enrol, _place, _convert, _close, _lead]) statement.Dispose();
    }

    private void Apply(JournalEvent happened, Batch batch)
    {
        var visitor = happened.Visitor.Value;
        var at = happened.At.ToUnixTimeMilliseconds();
        var bucket = at - at % BucketMilliseconds;
        if (happened.Kind == EventKind.OptIn)
        {
            _lead.Bind(1, happened.Id).Bind(2, at).Bind(3, happened.Data ?? "").Bind(4, happened.Page.Value).Bind(5, visitor).Run();
            return;
        }
        if (_reach.Bind(1, happened.Step.Value).Bind(2, visitor).Run() > 0) batch.Reached(happened.Step, bucket);
        if (happened is { Kind: EventKind.Enrol, Test: { } test, Phase: { } phase })
        {
            batch.Places.Add((happened.Visitor, test));
            if (Enrol(test, phase, closed: 0) > 0) batch.Enrolled(test, phase, happened.Page, bucket);
        }
        else if (happened is { Kind: EventKind.Apart, Test: { } decided })
        {
            // Saw the page kept: someone new never counts in the test, someone enrolled elsewhere no longer does.
            if (Enrol(decided, null, closed: 1) == 0) _close.Bind(1, decided.Value).Bind(2, visitor).Bind(3, happened.Page.Value).Run();
        }
        if (!_goals.TryGetValue(happened.Step.Value, out var goals)) return;
        foreach (var goal in goals)
            if (goal.RunsAt(at)) Credit(goal, visitor, at, bucket, batch);

        int Enrol(TestId into, PhaseId? phase, long closed) => _enrol
            .Bind(1, into.Value).Bind(2, visitor).Bind(3, happened.Page.Value).Bind(4, phase?.Value).Bind(5, at).Bind(6, closed).Run();
    }

    private void Credit(GoalTest goal, Guid visitor, long at, long bucket, Batch batch)
    {
        if (!_place.Bind(1, goal.Test).Bind(2, visitor).Next()) return;
        var (page, phase) = (_place.Number(0), _place.Number(1));
        var counts = !_place.IsNull(1) && _place.Number(2) <= at && _place.IsNull(3) && _place.Number(4) == 0;
        _place.Reset();
        if (!counts) return;
        batch.Converted(new(goal.Test), new(phase), new(page), bucket, at);
        _convert.Bind(1, goal.Test).Bind(2, visitor).Bind(3, at).Run();
    }

    private void Write(Batch batch)
    {
        foreach (var (step, visitors) in batch.Steps)
            _connection.Execute("INSERT INTO step_tallies VALUES ($1, $2) ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors", step, visitors);
        foreach (var ((step, bucket), visitors) in batch.StepBuckets)
            _connection.Execute("INSERT INTO step_buckets VALUES ($1, $2, $3) ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors", step, bucket, visitors);
        foreach (var ((test, phase, page), (visitors, conversions)) in batch.Tests)
            _connection.Execute(
                "INSERT INTO test_tallies VALUES ($1, $2, $3, $4, $5) ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors, conversions = conversions + excluded.conversions",
                test, phase, page, visitors, conversions);
        foreach (var ((test, bucket), (visitors, conversions)) in batch.TestBuckets)
            _connection.Execute(
                "INSERT INTO test_buckets VALUES ($1, $2, $3, $4) ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors, conversions = conversions + excluded.conversions",
                test, bucket, visitors, conversions);
        foreach (var (test, (last, since)) in batch.Silences)
            _connection.Execute(
                """
                INSERT INTO test_silences VALUES ($1, $2, $3) ON CONFLICT DO UPDATE SET
                  visitors_since = CASE WHEN excluded.last_conversion_at IS NULL THEN visitors_since ELSE 0 END + excluded.visitors_since,
                  last_conversion_at = coalesce(excluded.last_conversion_at, last_conversion_at)
                """, test, last, since);
    }

    private List<(long Seq, JournalEvent Event)> ReadEvents(long mark, int limit)
    {
        _events.Bind(1, mark).Bind(2, limit);
        var events = new List<(long, JournalEvent)>();
        while (_events.Next())
        {
            events.Add((_events.Number(0), new(
                _events.Id(1), DateTimeOffset.FromUnixTimeMilliseconds(_events.Number(2)), (EventKind)_events.Number(3), new(_events.Id(4)),
                new(_events.Number(5)), new(_events.Number(6)), _events.IsNull(7) ? null : new TestId(_events.Number(7)),
                _events.IsNull(8) ? null : new PhaseId(_events.Number(8)), _events.Text(9))));
        }
        return events;
    }

    /// <summary>A test that counts visitors who reach a step, and when it ran.</summary>
    private sealed record GoalTest(long Test, (long From, long Until)[] Runs)
    {
        public bool RunsAt(long at) => Array.Exists(Runs, run => run.From <= at && at < run.Until);
    }

    /// <summary>Sums of a batch, so that a tally is written once however many visits it counts.</summary>
    private sealed class Batch
    {
        public readonly List<(VisitorId, TestId)> Places = [];
        public readonly HashSet<TestId> TestsTouched = [];
        public readonly HashSet<StepId> StepsTouched = [];
        public readonly Dictionary<long, long> Steps = [];
        public readonly Dictionary<(long Step, long Bucket), long> StepBuckets = [];
        public readonly Dictionary<(long Test, long Phase, long Page), (long Visitors, long Conversions)> Tests = [];
        public readonly Dictionary<(long Test, long Bucket), (long Visitors, long Conversions)> TestBuckets = [];
        public readonly Dictionary<long, (long? Last, long Since)> Silences = [];

        public void Reached(StepId step, long bucket)
        {
            StepsTouched.Add(step);
            CollectionsMarshal.GetValueRefOrAddDefault(Steps, step.Value, out _)++;
            CollectionsMarshal.GetValueRefOrAddDefault(StepBuckets, (step.Value, bucket), out _)++;
        }

        public void Enrolled(TestId test, PhaseId phase, PageId page, long bucket)
        {
            TestsTouched.Add(test);
            CollectionsMarshal.GetValueRefOrAddDefault(Tests, (test.Value, phase.Value, page.Value), out _).Visitors++;
            CollectionsMarshal.GetValueRefOrAddDefault(TestBuckets, (test.Value, bucket), out _).Visitors++;
            CollectionsMarshal.GetValueRefOrAddDefault(Silences, test.Value, out _).Since++;
        }

        public void Converted(TestId test, PhaseId phase, PageId page, long bucket, long at)
        {
            TestsTouched.Add(test);
            CollectionsMarshal.GetValueRefOrAddDefault(Tests, (test.Value, phase.Value, page.Value), out _).Conversions++;
            CollectionsMarshal.GetValueRefOrAddDefault(TestBuckets, (test.Value, bucket), out _).Conversions++;
            Silences[test.Value] = (at, 0);
        }
    }
}
