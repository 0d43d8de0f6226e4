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
    private readonly SqliteCommand _events, _reach, _enrol, _place, _convert, _close, _lead;
    private Dictionary<long, List<GoalTest>> _goals = [];

    public Projector(SqliteConnection connection)
    {
        _connection = connection;
        _events = Prepared("SELECT seq, id, at, kind, visitor, step_id, page_id, test_id, phase_id, data FROM events WHERE seq > $1 ORDER BY seq LIMIT $2", 2);
        _reach = Prepared("INSERT OR IGNORE INTO reached (step_id, visitor) VALUES ($1, $2)", 2);
        _enrol = Prepared("INSERT OR IGNORE INTO enrolments (test_id, visitor, page_id, phase_id, at, closed) VALUES ($1, $2, $3, $4, $5, $6)", 6);
        _place = Prepared("SELECT page_id, phase_id, at, converted_at, closed FROM enrolments WHERE test_id = $1 AND visitor = $2", 2);
        _convert = Prepared("UPDATE enrolments SET converted_at = $3 WHERE test_id = $1 AND visitor = $2", 3);
        _close = Prepared("UPDATE enrolments SET closed = 1 WHERE test_id = $1 AND visitor = $2 AND page_id <> $3", 3);
        _lead = Prepared("INSERT OR IGNORE INTO leads (event_id, at, email, page_id, visitor) VALUES ($1, $2, $3, $4, $5)", 5);
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
        foreach (var command in Commands) command.Transaction = transaction;
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
        foreach (var command in Commands) command.Dispose();
    }

    private SqliteCommand[] Commands => [_events, _reach, _enrol, _place, _convert, _close, _lead];

    private void Apply(JournalEvent happened, Batch batch)
    {
        var visitor = happened.Visitor.Value.ToByteArray(bigEndian: true);
        var at = happened.At.ToUnixTimeMilliseconds();
        var bucket = at - at % BucketMilliseconds;
        if (happened.Kind == EventKind.OptIn)
        {
            Run(_lead, happened.Id.ToByteArray(bigEndian: true), at, happened.Data ?? "", happened.Page.Value, visitor);
            return;
        }
        if (Run(_reach, happened.Step.Value, visitor) > 0) batch.Reached(happened.Step, bucket);
        if (happened is { Kind: EventKind.Enrol, Test: { } test, Phase: { } phase })
        {
            batch.Places.Add((happened.Visitor, test));
            if (Run(_enrol, test.Value, visitor, happened.Page.Value, phase.Value, at, 0L) > 0) batch.Enrolled(test, phase, happened.Page, bucket);
        }
        else if (happened is { Kind: EventKind.Apart, Test: { } decided })
        {
            // Saw the page kept: someone new never counts in the test, someone enrolled elsewhere no longer does.
            if (Run(_enrol, decided.Value, visitor, happened.Page.Value, null, at, 1L) == 0) Run(_close, decided.Value, visitor, happened.Page.Value);
        }
        if (!_goals.TryGetValue(happened.Step.Value, out var goals)) return;
        foreach (var goal in goals)
            if (goal.RunsAt(at)) Credit(goal, visitor, at, bucket, batch);
    }

    private void Credit(GoalTest goal, byte[] visitor, long at, long bucket, Batch batch)
    {
        _place.Parameters[0].Value = goal.Test;
        _place.Parameters[1].Value = visitor;
        using (var row = _place.ExecuteReader())
        {
            if (!row.Read() || row.IsDBNull(1) || row.GetInt64(2) > at || !row.IsDBNull(3) || row.GetInt64(4) != 0) return;
            batch.Converted(new(goal.Test), new(row.GetInt64(1)), new(row.GetInt64(0)), bucket, at);
        }
        Run(_convert, goal.Test, visitor, at);
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
        _events.Parameters[0].Value = mark;
        _events.Parameters[1].Value = (long)limit;
        using var row = _events.ExecuteReader();
        var events = new List<(long, JournalEvent)>();
        while (row.Read())
        {
            events.Add((row.GetInt64(0), new(
                new Guid(row.GetFieldValue<byte[]>(1), bigEndian: true), row.Time(2), (EventKind)row.GetInt32(3), new(new Guid(row.GetFieldValue<byte[]>(4), bigEndian: true)),
                new(row.GetInt64(5)), new(row.GetInt64(6)), row.NumberOrNull(7) is { } test ? new TestId(test) : null,
                row.NumberOrNull(8) is { } phase ? new PhaseId(phase) : null, row.TextOrNull(9))));
        }
        return events;
    }

    private SqliteCommand Prepared(string sql, int parameters)
    {
        var command = _connection.Command(sql, new object?[parameters]);
        command.Prepare();
        return command;
    }

    private static int Run(SqliteCommand command, params ReadOnlySpan<object?> values)
    {
        for (var i = 0; i < values.Length; i++) command.Parameters[i].Value = values[i] ?? DBNull.Value;
        return command.ExecuteNonQuery();
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
