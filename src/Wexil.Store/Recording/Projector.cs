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

    /// <summary>Tags that nobody made known are kept apart up to so many a funnel.</summary>
    private const int MostUnknownTags = 200;

    /// <summary>Tests whose visitors are crossed with those of another.</summary>
    private const int MostPartners = 8;
    private readonly SqliteConnection _connection;
    private readonly HotStatement _events, _reach, _enrol, _place, _convert, _close, _lead, _arrive, _arrival, _tag, _newSource,
        _stepTally, _stepBucket, _testTally, _testBucket, _apartTally, _pairTally, _sourceTally, _leftOut, _silence;
    private Dictionary<long, List<GoalTest>> _goals = [];
    private Dictionary<long, StepRole> _steps = [];
    private Dictionary<long, Partner[]> _partners = [];
    private Dictionary<(long Funnel, string Tag), long> _sources = [];

    public Projector(SqliteConnection connection)
    {
        _connection = connection;
        _events = new(connection, "SELECT seq, id, at, kind, visitor, step_id, page_id, test_id, phase_id, data FROM events WHERE seq > ?1 ORDER BY seq LIMIT ?2");
        _reach = new(connection, "INSERT OR IGNORE INTO reached (step_id, visitor) VALUES (?1, ?2)");
        _enrol = new(connection, "INSERT OR IGNORE INTO enrolments (test_id, visitor, page_id, phase_id, at, closed, apart) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)");
        _place = new(connection, "SELECT page_id, phase_id, at, converted_at, closed, apart FROM enrolments WHERE test_id = ?1 AND visitor = ?2");
        _convert = new(connection, "UPDATE enrolments SET converted_at = ?3 WHERE test_id = ?1 AND visitor = ?2");
        _close = new(connection, "UPDATE enrolments SET closed = 1 WHERE test_id = ?1 AND visitor = ?2 AND page_id <> ?3");
        _lead = new(connection, "INSERT OR IGNORE INTO leads (event_id, at, email, page_id, visitor) VALUES (?1, ?2, ?3, ?4, ?5)");
        _arrive = new(connection, "INSERT OR IGNORE INTO arrivals (funnel_id, visitor, source_id) VALUES (?1, ?2, ?3)");
        _arrival = new(connection, "SELECT source_id FROM arrivals WHERE funnel_id = ?1 AND visitor = ?2");
        _tag = new(connection, "UPDATE arrivals SET source_id = ?3 WHERE funnel_id = ?1 AND visitor = ?2");
        _newSource = new(connection, "INSERT INTO sources (funnel_id, tag, name, kind, declared) VALUES (?1, ?2, ?2, 'Other', 0) RETURNING id");
        const string both = "ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors, conversions = conversions + excluded.conversions";
        _stepTally = new(connection, "INSERT INTO step_tallies VALUES (?1, ?2) ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors");
        _stepBucket = new(connection, "INSERT INTO step_buckets VALUES (?1, ?2, ?3) ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors");
        _testTally = new(connection, $"INSERT INTO test_tallies VALUES (?1, ?2, ?3, ?4, ?5) {both}");
        _testBucket = new(connection, $"INSERT INTO test_buckets VALUES (?1, ?2, ?3, ?4) {both}");
        _apartTally = new(connection, $"INSERT INTO apart_tallies VALUES (?1, ?2, ?3, ?4, ?5) {both}");
        _pairTally = new(connection, $"INSERT INTO pair_tallies VALUES (?1, ?2, ?3, ?4, ?5, ?6) {both}");
        _sourceTally = new(connection,
            """
            INSERT INTO source_tallies VALUES (?1, ?2, ?3, ?4, ?5, ?6) ON CONFLICT DO UPDATE SET clicks = clicks + excluded.clicks,
              visitors = visitors + excluded.visitors, opt_ins = opt_ins + excluded.opt_ins, sales = sales + excluded.sales
            """);
        _leftOut = new(connection, "INSERT INTO left_out VALUES (?1, ?2, ?3) ON CONFLICT DO UPDATE SET visits = visits + excluded.visits");
        _silence = new(connection,
            """
            INSERT INTO test_silences VALUES (?1, ?2, ?3) ON CONFLICT DO UPDATE SET
              visitors_since = CASE WHEN excluded.last_conversion_at IS NULL THEN visitors_since ELSE 0 END + excluded.visitors_since,
              last_conversion_at = coalesce(excluded.last_conversion_at, last_conversion_at)
            """);
        Mark = connection.Number("SELECT mark FROM projection") ?? 0;
        LoadGoals();
    }

    private Dictionary<long, int> _unknownTags = [];
    private bool _sourcesAreStale;

    /// <summary>The last event that is projected.</summary>
    public long Mark { get; private set; }

    /// <summary>Which steps are goals of which tests, what reaching them means, and who sends visitors; to be read again whenever Studio has written.</summary>
    public void LoadGoals()
    {
        var steps = _connection.Rows($"SELECT {FunnelStore.StepColumns} FROM steps ORDER BY funnel_id, position", FunnelStore.MapStep);
        var runs = _connection.Rows("SELECT test_id, started_at, ended_at FROM phases", row => (Test: row.GetInt64(0), From: row.GetInt64(1), Until: row.NumberOrNull(2) ?? long.MaxValue))
            .ToLookup(run => run.Test, run => (run.From, run.Until));
        var tests = _connection.Rows("SELECT id, goal_step_id, step_id, started_at, decided_at FROM tests", row =>
            (Id: row.GetInt64(0), Goal: row.GetInt64(1), Step: row.GetInt64(2), From: row.GetInt64(3), Until: row.NumberOrNull(4) ?? long.MaxValue));
        _goals = tests.GroupBy(test => test.Goal).ToDictionary(group => group.Key, group => group.Select(test => new GoalTest(test.Id, [.. runs[test.Id]])).ToList());
        _steps = steps.GroupBy(step => step.Funnel).SelectMany(funnel =>
        {
            var inOrder = funnel.ToArray();
            return inOrder.Select(step => (step.Id, Role: new StepRole(funnel.Key.Value, step.Position, FunnelPath.OutcomeOf(inOrder, step))));
        }).ToDictionary(row => row.Id.Value, row => row.Role);
        _partners = tests.GroupBy(test => _steps[test.Step].Funnel).SelectMany(funnel => funnel.Select(test => (test.Id, Partners: funnel
            .Where(other => other.Step != test.Step && other.From < test.Until && test.From < other.Until).OrderByDescending(other => other.Id).Take(MostPartners)
            .Select(other => new Partner(other.Id, _steps[other.Step].Position < _steps[test.Step].Position)).ToArray()))).Where(row => row.Partners.Length > 0).ToDictionary(row => row.Id, row => row.Partners);
        LoadSources();
    }

    /// <summary>Projects the next events, at most so many; null when there are none.</summary>
    public Projected? Next(int limit)
    {
        var batch = new Batch();
        if (_sourcesAreStale) LoadSources();
        using var transaction = _connection.BeginTransaction(deferred: false);
        var mark = Mark;
        // Until the batch is committed, a tag met for the first time may still be undone.
        _sourcesAreStale = true;
        foreach (var (seq, happened) in ReadEvents(mark, limit))
        {
            Apply(happened, batch);
            mark = seq;
        }
        if (mark == Mark) return null;
        Write(batch);
        _connection.Execute("UPDATE projection SET mark = $1", mark);
        transaction.Commit();
        _sourcesAreStale = false;
        Mark = mark;
        return new(batch.Places, batch.TestsTouched, batch.StepsTouched);
    }

    /// <summary>Forgets everything projected, so that it is counted again from the first event.</summary>
    public void Reset()
    {
        using var transaction = _connection.BeginTransaction(deferred: false);
        _connection.Execute("""
            DELETE FROM reached; DELETE FROM enrolments; DELETE FROM step_tallies; DELETE FROM step_buckets; DELETE FROM test_tallies;
            DELETE FROM test_buckets; DELETE FROM test_silences; DELETE FROM leads;
            DELETE FROM arrivals; DELETE FROM source_tallies; DELETE FROM apart_tallies; DELETE FROM pair_tallies; DELETE FROM left_out; UPDATE projection SET mark = 0;
            """);
        transaction.Commit();
        Mark = 0;
    }

    public void Dispose()
    {
        foreach (var statement in (HotStatement[])[_events, _reach, _enrol, _place, _convert, _close, _lead, _arrive, _arrival, _tag, _newSource,
            _stepTally, _stepBucket, _testTally, _testBucket, _apartTally, _pairTally, _sourceTally, _leftOut, _silence]) statement.Dispose();
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
        if (happened.Kind == EventKind.LeftOut)
        {
            CollectionsMarshal.GetValueRefOrAddDefault(batch.LeftOut, (happened.Step.Value, happened.Data is [var letter, ..] ? letter : 0), out _)++;
            batch.StepsTouched.Add(happened.Step);
            return;
        }
        var note = VisitNote.Parse(happened.Data);
        var first = _reach.Bind(1, happened.Step.Value).Bind(2, visitor).Run() > 0;
        if (first) batch.Reached(happened.Step, bucket);
        var arrives = (first || note.Source.Length > 0) && _steps.TryGetValue(happened.Step.Value, out var role) && Arrive(role, visitor, note.Source, first, batch);
        if (happened is { Kind: EventKind.Enrol, Test: { } test, Phase: { } phase })
        {
            batch.Places.Add((happened.Visitor, test));
            if (Enrol(test, phase, closed: 0, apart: null) > 0)
            {
                batch.Enrolled(test, phase, happened.Page, bucket);
                // Who has just come into the funnel has no place in another of its tests.
                if (!arrives) Cross(test, happened.Page, visitor, batch);
            }
        }
        else if (happened is { Kind: EventKind.Apart, Test: { } stood })
        {
            batch.Places.Add((happened.Visitor, stood));
            var reason = note.Apart ?? Apart.NotRunning;
            // Saw a page without being drawn: someone new never counts in the test, someone enrolled elsewhere no longer does.
            if (Enrol(stood, null, closed: 1, (long)reason) > 0) batch.SetApart(stood, happened.Page, reason);
            else _close.Bind(1, stood.Value).Bind(2, visitor).Bind(3, happened.Page.Value).Run();
        }
        if (!_goals.TryGetValue(happened.Step.Value, out var goals)) return;
        foreach (var goal in goals)
            if (goal.RunsAt(at)) Credit(goal, visitor, at, bucket, batch);

        int Enrol(TestId into, PhaseId? phase, long closed, long? apart) => _enrol
            .Bind(1, into.Value).Bind(2, visitor).Bind(3, happened.Page.Value).Bind(4, phase?.Value).Bind(5, at).Bind(6, closed).Bind(7, apart).Run();
    }

    private void Credit(GoalTest goal, Guid visitor, long at, long bucket, Batch batch)
    {
        if (!_place.Bind(1, goal.Test).Bind(2, visitor).Next()) return;
        var (page, phase, apart) = (_place.Number(0), _place.Number(1), _place.IsNull(5) ? null : (Apart?)_place.Number(5));
        var first = _place.Number(2) <= at && _place.IsNull(3);
        var counts = first && !_place.IsNull(1) && _place.Number(4) == 0;
        _place.Reset();
        if (counts)
        {
            batch.Converted(new(goal.Test), new(phase), new(page), bucket, at);
            if (_partners.TryGetValue(goal.Test, out var partners))
            {
                // Of two steps the later one's conversion tells how a pair of pages did.
                foreach (var partner in partners)
                    if (partner.IsEarlier && CountedPlace(partner.Test, visitor) is { } other) batch.Paired(partner.Test, goal.Test, other, page, conversions: 1);
            }
        }
        else if (first && apart is { } reason) batch.ConvertedApart(goal.Test, page, reason);
        else return;
        _convert.Bind(1, goal.Test).Bind(2, visitor).Bind(3, at).Run();
    }

    /// <summary>A visitor of one test who is in another of the same funnel counts for the pair of pages.</summary>
    private void Cross(TestId test, PageId page, Guid visitor, Batch batch)
    {
        if (!_partners.TryGetValue(test.Value, out var partners)) return;
        foreach (var partner in partners)
        {
            if (CountedPlace(partner.Test, visitor) is not { } other) continue;
            if (partner.IsEarlier) batch.Paired(partner.Test, test.Value, other, page.Value, visitors: 1);
            else batch.Paired(test.Value, partner.Test, page.Value, other, visitors: 1, conversions: HasConverted(partner.Test, visitor) ? 1 : 0);
        }
    }

    private long? CountedPlace(long test, Guid visitor)
    {
        if (!_place.Bind(1, test).Bind(2, visitor).Next()) return null;
        long? page = _place.IsNull(1) || _place.Number(4) != 0 ? null : _place.Number(0);
        _place.Reset();
        return page;
    }

    private bool HasConverted(long test, Guid visitor)
    {
        var found = _place.Bind(1, test).Bind(2, visitor).Next();
        var converted = found && !_place.IsNull(3);
        if (found) _place.Reset();
        return converted;
    }

    /// <summary>Credits a visit to its source: the first that a visitor's links named. True for someone new to the funnel.</summary>
    private bool Arrive(StepRole step, Guid visitor, string tag, bool first, Batch batch)
    {
        var source = tag.Length == 0 ? 0 : SourceOf(step.Funnel, tag);
        if (source != 0) batch.Source(step.Funnel, source).Clicks++;
        if (_arrive.Bind(1, step.Funnel).Bind(2, visitor).Bind(3, source).Run() > 0)
        {
            batch.Source(step.Funnel, source).Visitors++;
            return true;
        }
        if (!_arrival.Bind(1, step.Funnel).Bind(2, visitor).Next()) return false;
        var own = _arrival.Number(0);
        _arrival.Reset();
        if (own == 0 && source != 0)
        {
            // Came before by a link that named none.
            _tag.Bind(1, step.Funnel).Bind(2, visitor).Bind(3, source).Run();
            batch.Source(step.Funnel, 0).Visitors--;
            batch.Source(step.Funnel, source).Visitors++;
            own = source;
        }
        if (first && step.Outcome == FunnelOutcome.OptIn) batch.Source(step.Funnel, own).OptIns++;
        if (first && step.Outcome == FunnelOutcome.Sale) batch.Source(step.Funnel, own).Sales++;
        return false;
    }

    private long SourceOf(long funnel, string tag)
    {
        if (_sources.TryGetValue((funnel, tag), out var known)) return known;
        ref var unknown = ref CollectionsMarshal.GetValueRefOrAddDefault(_unknownTags, funnel, out _);
        if (unknown >= MostUnknownTags) return SourceStore.Rest;
        unknown++;
        _newSource.Bind(1, funnel).Bind(2, tag).Next();
        var made = _newSource.Number(0);
        _newSource.Reset();
        return _sources[(funnel, tag)] = made;
    }

    private void LoadSources()
    {
        _sources = _connection.Rows("SELECT funnel_id, tag, id FROM sources", row => ((row.GetInt64(0), row.GetString(1)), row.GetInt64(2))).ToDictionary();
        _unknownTags = _connection.Rows("SELECT funnel_id, count(*) FROM sources WHERE NOT declared GROUP BY funnel_id", row => (row.GetInt64(0), row.GetInt32(1))).ToDictionary();
        _sourcesAreStale = false;
    }

    private void Write(Batch batch)
    {
        foreach (var (step, visitors) in batch.Steps) _stepTally.Bind(1, step).Bind(2, visitors).Run();
        foreach (var ((step, bucket), visitors) in batch.StepBuckets) _stepBucket.Bind(1, step).Bind(2, bucket).Bind(3, visitors).Run();
        foreach (var ((test, phase, page), (visitors, conversions)) in batch.Tests) _testTally.Bind(1, test).Bind(2, phase).Bind(3, page).Bind(4, visitors).Bind(5, conversions).Run();
        foreach (var ((test, page, reason), (visitors, conversions)) in batch.Aparts) _apartTally.Bind(1, test).Bind(2, page).Bind(3, (long)reason).Bind(4, visitors).Bind(5, conversions).Run();
        foreach (var ((test, other, page, otherPage), (visitors, conversions)) in batch.Pairs)
            _pairTally.Bind(1, test).Bind(2, other).Bind(3, page).Bind(4, otherPage).Bind(5, visitors).Bind(6, conversions).Run();
        foreach (var ((funnel, source), tally) in batch.Sources) _sourceTally.Bind(1, funnel).Bind(2, source).Bind(3, tally.Clicks).Bind(4, tally.Visitors).Bind(5, tally.OptIns).Bind(6, tally.Sales).Run();
        foreach (var ((step, reason), visits) in batch.LeftOut) _leftOut.Bind(1, step).Bind(2, reason).Bind(3, visits).Run();
        foreach (var ((test, bucket), (visitors, conversions)) in batch.TestBuckets) _testBucket.Bind(1, test).Bind(2, bucket).Bind(3, visitors).Bind(4, conversions).Run();
        foreach (var (test, (last, since)) in batch.Silences) _silence.Bind(1, test).Bind(2, last).Bind(3, since).Run();
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

    /// <summary>A test on another step of the same funnel.</summary>
    private readonly record struct Partner(long Test, bool IsEarlier);

    /// <summary>Where a step stands, and what reaching it means.</summary>
    private readonly record struct StepRole(long Funnel, int Position, FunnelOutcome? Outcome);

    private struct SourceTally
    {
        public long Clicks, Visitors, OptIns, Sales;
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

        public readonly Dictionary<(long Test, long Page, Apart Reason), (long Visitors, long Conversions)> Aparts = [];
        public readonly Dictionary<(long Test, long Other, long Page, long OtherPage), (long Visitors, long Conversions)> Pairs = [];
        public readonly Dictionary<(long Funnel, long Source), SourceTally> Sources = [];
        public readonly Dictionary<(long Step, long Reason), long> LeftOut = [];

        public ref SourceTally Source(long funnel, long source) => ref CollectionsMarshal.GetValueRefOrAddDefault(Sources, (funnel, source), out _);

        public void SetApart(TestId test, PageId page, Apart reason)
        {
            TestsTouched.Add(test);
            CollectionsMarshal.GetValueRefOrAddDefault(Aparts, (test.Value, page.Value, reason), out _).Visitors++;
        }

        public void ConvertedApart(long test, long page, Apart reason)
        {
            TestsTouched.Add(new(test));
            CollectionsMarshal.GetValueRefOrAddDefault(Aparts, (test, page, reason), out _).Conversions++;
        }

        public void Paired(long test, long other, long page, long otherPage, long visitors = 0, long conversions = 0)
        {
            ref var pair = ref CollectionsMarshal.GetValueRefOrAddDefault(Pairs, (test, other, page, otherPage), out _);
            pair = (pair.Visitors + visitors, pair.Conversions + conversions);
        }

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
