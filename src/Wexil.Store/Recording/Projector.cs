using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Core.Sales;
using Wexil.Core.Splits;
using Wexil.Store.Recording.Projection;

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
    private readonly HotTransaction _transaction;
    private readonly HotStatement _events, _lead, _mark;
    private readonly StepCounts _steps;
    private readonly ArrivalCounts _arrivals;
    private readonly TestCounts _tests;
    private readonly SaleCounts _sales;
    private FunnelMap _map;
    private bool _mapIsStale, _sourcesAreStale;

    public Projector(SqliteConnection connection)
    {
        _connection = connection;
        _transaction = new(connection);
        _events = new(connection, "SELECT seq, id, at, kind, visitor, step_id, page_id, test_id, phase_id, data FROM events WHERE seq > ?1 ORDER BY seq LIMIT ?2");
        _lead = new(connection, "INSERT OR IGNORE INTO leads (event_id, at, email, page_id, visitor) VALUES (?1, ?2, ?3, ?4, ?5)");
        _mark = new(connection, "UPDATE projection SET mark = ?1");
        (_steps, _arrivals, _tests, _sales, _map) = (new(connection), new(connection), new(connection), new(connection), new(connection));
        Mark = connection.Number("SELECT mark FROM projection") ?? 0;
    }

    /// <summary>The last event that is projected.</summary>
    public long Mark { get; private set; }

    /// <summary>Studio has changed steps, tests or sources: they are read again before anything more is projected.</summary>
    public void ForgetMap() => _mapIsStale = _sourcesAreStale = true;

    /// <summary>Projects the next events, at most so many; null when there are none.</summary>
    /// <param name="isEnough">Asked after each; true ends the batch there.</param>
    public Projected? Next(int limit, Func<bool> isEnough)
    {
        if (_mapIsStale) _map = new(_connection);
        _mapIsStale = false;
        if (_sourcesAreStale) _arrivals.LoadSources();
        // Until the batch is committed, a tag met for the first time may still be undone.
        _sourcesAreStale = true;
        _steps.Clear();
        _arrivals.Clear();
        _tests.Clear();
        _sales.Clear();
        var mark = Mark;
        _transaction.Run(() =>
        {
            _events.Bind(1, mark).Bind(2, limit);
            try
            {
                while (_events.Next())
                {
                    mark = _events.Number(0);
                    Apply(Read());
                    if (isEnough()) break;
                }
            }
            finally
            {
                _events.Reset();
            }
            if (mark == Mark) return;
            _steps.Write();
            _arrivals.Write();
            _tests.Write();
            _sales.Write();
            _mark.Bind(1, mark).Run();
        });
        _sourcesAreStale = false;
        if (mark == Mark) return null;
        Mark = mark;
        return new(_tests.Places, _tests.Touched.Union(_sales.Touched).ToHashSet(), _steps.Touched.ToHashSet());
    }

    /// <summary>Forgets everything projected, so that it is counted again from the first event.</summary>
    public void Reset()
    {
        _transaction.Run(() => _connection.Execute(
            """
            DELETE FROM visitors; DELETE FROM enrolments; DELETE FROM step_tallies; DELETE FROM step_buckets; DELETE FROM test_tallies;
            DELETE FROM test_buckets; DELETE FROM test_silences; DELETE FROM leads; DELETE FROM source_tallies; DELETE FROM apart_tallies;
            DELETE FROM pair_tallies; DELETE FROM left_out; DELETE FROM orders; DELETE FROM earnings; DELETE FROM money_tallies; DELETE FROM source_money; UPDATE projection SET mark = 0;
            """));
        Mark = 0;
    }

    public void Dispose()
    {
        foreach (var part in (IDisposable[])[_transaction, _events, _lead, _mark, _steps, _arrivals, _tests, _sales]) part.Dispose();
    }

    private void Apply(JournalEvent happened)
    {
        var visitor = happened.Visitor.Value;
        var at = happened.At.ToUnixTimeMilliseconds();
        var bucket = at - at % BucketMilliseconds;
        switch (happened.Kind)
        {
            case EventKind.OptIn:
                _lead.Bind(1, happened.Id).Bind(2, at).Bind(3, happened.Data ?? "").Bind(4, happened.Page.Value).Bind(5, visitor).Run();
                return;
            case EventKind.LeftOut:
                _steps.LeftOut(happened.Step, happened.Data is [var letter, ..] ? letter : 0);
                return;
            case EventKind.Sale:
                _sales.Note(SaleNotice.Parse(happened.Data!), visitor == default ? null : visitor, happened.Page.Value == 0 ? null : happened.Page.Value, at, _map);
                return;
            case EventKind.Claim:
                _sales.Assign(happened.Data!, visitor, _map);
                return;
        }
        if (_map.Role(happened.Step.Value) is not { } role) return;
        var note = VisitNote.Parse(happened.Data);
        var arrival = _arrivals.Note(role, visitor, note.Source);
        if (arrival.ToStep) _steps.Reached(happened.Step, bucket);
        if (happened is { Kind: EventKind.Enrol, Test: { } test, Phase: { } phase })
        {
            // Who has just come into the funnel has no place in another of its tests.
            if (_tests.Enrol(test, phase, happened.Page, visitor, at, bucket) && !arrival.ToFunnel) _tests.Cross(test, happened.Page, _map.Partners(test.Value), visitor);
        }
        else if (happened is { Kind: EventKind.Apart, Test: { } stood }) _tests.SetApart(stood, happened.Page, note.Apart ?? Apart.NotRunning, visitor, at);
        // Who has just come has no place in a test that this step is the goal of.
        if (arrival.ToFunnel) return;
        foreach (var goal in _map.Goals(happened.Step.Value))
            if (goal.RunsAt(at)) _tests.Credit(goal, _map.Partners(goal.Test), visitor, at, bucket);
    }

    private JournalEvent Read() => new(
        _events.Id(1), DateTimeOffset.FromUnixTimeMilliseconds(_events.Number(2)), (EventKind)_events.Number(3), new(_events.Id(4)),
        new(_events.Number(5)), new(_events.Number(6)), _events.IsNull(7) ? null : new TestId(_events.Number(7)),
        _events.IsNull(8) ? null : new PhaseId(_events.Number(8)), _events.Text(9));
}
