using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Core.Visitors;
using Wexil.Store.Recording.Projection;
using Wexil.Store.Retention;

namespace Wexil.Store.Recording;

/// <summary>What a projected batch changed.</summary>
public sealed record Projected(
    IReadOnlyList<(VisitorId Visitor, TestId Test)> Places,
    IReadOnlySet<TestId> Tests,
    IReadOnlySet<StepId> Steps
);

/// <summary>A batch was undone, because somebody waits for the writer; its events are projected again.</summary>
internal sealed class BatchGivenUpException : Exception;

/// <summary>
/// Follows the events from the mark and keeps enrolments and tallies, so that no screen ever reads an event. Works on
/// the writer's connection, a batch a transaction; the mark moves with it, so nothing is projected twice.
/// </summary>
internal sealed class Projector : IDisposable
{
    private const string EventsSql = """
        SELECT seq, id, at, kind, visitor, step_id, page_id, test_id, phase_id, data
        FROM events
        WHERE seq > ?1
        ORDER BY seq LIMIT ?2
        """;

    private const string LeadSql = """
        INSERT OR IGNORE INTO leads (event_id, at, email, page_id, visitor, fields)
        VALUES (?1, ?2, ?3, ?4, ?5, ?6)
        """;

    private const string ConfirmedSql =
        "UPDATE leads SET confirmed_at = coalesce(confirmed_at, ?2) WHERE email = ?1 COLLATE NOCASE";

    // Anybody can type a stranger's address, again and again: it gets one mail a day.
    private const string OutgoingSql = """
        INSERT OR IGNORE INTO outgoing (cause, kind, step_id, email, fields, next_at)
        SELECT ?1, 1, step_id, ?4, ?5, ?3 FROM opt_in_settings WHERE step_id = ?2 AND forwards_since <= ?3
        UNION ALL SELECT ?1, 2, step_id, ?4, ?5, ?3 FROM opt_in_settings WHERE step_id = ?2 AND confirms_since <= ?3
          AND NOT EXISTS (SELECT 1 FROM outgoing o JOIN leads l ON l.event_id = o.cause
            WHERE o.kind = 2 AND o.email = ?4 AND o.cause <> ?1 AND l.at > ?3 - 86400000 AND l.at <= ?3)
        """;

    private const string MarkSql = "UPDATE projection SET mark = ?1";

    private readonly SqliteConnection _connection;
    private readonly PreparedTransaction _transaction;
    private readonly PreparedStatement _events,
        _lead,
        _confirmed,
        _outgoing,
        _mark;
    private readonly VisitorRows _visitors;
    private readonly StepProjection _steps;
    private readonly ArrivalProjection _arrivals;
    private readonly TestProjection _tests;
    private readonly SaleProjection _sales;
    private readonly GoalProjection _goals;
    private readonly StayProjection _stays;
    private readonly NetworkProjection _networks;
    private readonly CombinationProjection _combinations;
    private ProjectionContext _context;
    private bool _contextIsStale,
        _sourcesAreStale;

    public Projector(SqliteConnection connection)
    {
        _connection = connection;
        _transaction = new(connection);
        _events = new(connection, EventsSql);
        _lead = new(connection, LeadSql);
        _confirmed = new(connection, ConfirmedSql);
        _outgoing = new(connection, OutgoingSql);
        _mark = new(connection, MarkSql);
        _visitors = new(connection);
        (_steps, _arrivals, _tests, _sales, _goals, _stays, _networks, _context) = (
            new(connection),
            new(connection, _visitors),
            new(connection, _visitors),
            new(connection, _visitors),
            new(connection),
            new(connection),
            new(connection),
            new(connection)
        );
        _combinations = new(connection, _tests);
        Mark = connection.Number("SELECT mark FROM projection") ?? 0;
    }

    /// <summary>The last event that is projected.</summary>
    public long Mark { get; private set; }

    /// <summary>
    /// Studio has changed steps, tests or sources: they are read again before anything more is projected.
    /// </summary>
    public void ForgetContext() => _contextIsStale = _sourcesAreStale = true;

    /// <summary>Projects the next events, at most so many; null when there are none.</summary>
    /// <param name="isEnough">Asked after each; true ends the batch there.</param>
    /// <param name="isUrgent">Asked again and again; true undoes the batch.</param>
    /// <exception cref="BatchGivenUpException">It was undone.</exception>
    public Projected? Next(int limit, Func<bool> isEnough, Func<bool> isUrgent)
    {
        void Check()
        {
            if (isUrgent())
                throw new BatchGivenUpException();
        }
        Prepare();
        var mark = Mark;
        _transaction.Run(() =>
        {
            mark = TakeEvents(limit, isEnough, Check);
            if (mark == Mark)
                return;
            Write(Check);
            _mark.Bind(1, mark).Run();
        });
        _sourcesAreStale = false;
        _steps.Keep();
        if (mark == Mark)
            return null;
        Mark = mark;
        return new(_tests.Places, _tests.Touched.Union(_sales.Touched).ToHashSet(), _steps.Touched.ToHashSet());
    }

    private void Prepare()
    {
        if (_contextIsStale)
            _context = new(_connection);
        _contextIsStale = false;
        if (_sourcesAreStale)
            _arrivals.LoadSources();
        // Until the batch is committed, a tag met for the first time may still be undone.
        _sourcesAreStale = true;
        Clear();
    }

    /// <returns>The last event that was taken; the mark where there was none.</returns>
    private long TakeEvents(int limit, Func<bool> isEnough, Action check)
    {
        var last = Mark;
        _events.Bind(1, last).Bind(2, limit);
        try
        {
            while (_events.Next())
            {
                last = _events.Number(0);
                Apply(Read());
                if (isEnough())
                    break;
                check();
            }
        }
        finally
        {
            _events.Reset();
        }
        return last;
    }

    private void Clear()
    {
        _visitors.Clear();
        _steps.Clear();
        _arrivals.Clear();
        _tests.Clear();
        _sales.Clear();
        _goals.Clear();
        _stays.Clear();
        _combinations.Clear();
    }

    private void Write(Action check)
    {
        _visitors.Write(check);
        _steps.Write();
        _arrivals.Write();
        _tests.Write(check);
        _sales.Write();
        _goals.Write();
        _stays.Write();
        _combinations.Write();
    }

    /// <summary>Forgets everything projected but what is sealed: the events are counted again from the first.</summary>
    public void Reset()
    {
        _transaction.Run(() =>
        {
            foreach (var table in ProjectedTables.All)
                _connection.Execute($"DELETE FROM {table}{(table == "ad_clicks" ? " WHERE NOT sealed" : "")}");
            SealedTallies.Restore(_connection);
            _connection.Execute("UPDATE projection SET mark = 0");
        });
        _combinations.Forget();
        _visitors.FindNewest();
        Mark = 0;
    }

    public void Dispose()
    {
        foreach (
            var part in (IDisposable[])
                [
                    _transaction,
                    _events,
                    _lead,
                    _confirmed,
                    _outgoing,
                    _mark,
                    _visitors,
                    _steps,
                    _arrivals,
                    _tests,
                    _sales,
                    _goals,
                    _stays,
                    _networks,
                    _combinations,
                ]
        )
            part.Dispose();
    }

    private void Apply(JournalEvent happened)
    {
        var visitor = happened.Visitor.Value;
        var at = happened.At.ToUnixTimeMilliseconds();
        _steps.Show(happened.Page);
        switch (happened.Kind)
        {
            case EventKind.OptIn:
                TakeOptIn(happened, visitor, at);
                break;
            case EventKind.LeftOut:
                _steps.LeftOut(happened.Step, happened.Data is [var letter, ..] ? letter : 0);
                break;
            case EventKind.Sale:
                TakeSale(happened, visitor, at);
                break;
            case EventKind.Claim:
                foreach (var credit in _sales.Assign(happened.Data!, visitor, _context))
                    Credit(credit, happened.Data!, "", at);
                break;
            case EventKind.Confirmed:
                _confirmed.Bind(1, happened.Data).Bind(2, at).Run();
                break;
            case EventKind.Met:
                var met = GoalNote.Parse(happened.Data!);
                if (_context.Goal(met.Goal.Value) is { } told)
                    Meet(told, new(visitor, at, Comes: met.Value, Cause: happened.Id.ToString("N")));
                break;
            case EventKind.Stay:
                TakeStay(happened, visitor, at);
                break;
            default:
                TakeVisit(happened, visitor, at);
                break;
        }
    }

    private void TakeOptIn(JournalEvent happened, Guid visitor, long at)
    {
        // Of a person who was removed only the opt-in is left.
        if (!string.IsNullOrEmpty(happened.Data))
        {
            var (email, fields) = OptInNote.Split(happened.Data);
            _lead
                .Bind(1, happened.Id)
                .Bind(2, at)
                .Bind(3, email)
                .Bind(4, happened.Page.Value)
                .Bind(5, visitor)
                .Bind(6, fields)
                .Run();
            _outgoing
                .Bind(1, happened.Id)
                .Bind(2, happened.Step.Value)
                .Bind(3, at)
                .Bind(4, email)
                .Bind(5, fields)
                .Run();
        }
        _networks.OptedIn(visitor, at);
        foreach (var goal in _context.OptInGoals(happened.Step.Value))
            if (goal.Goal.Takes(happened.Page))
                Meet(goal, new(visitor, at));
    }

    private void TakeSale(JournalEvent happened, Guid visitor, long at)
    {
        var notice = SaleNotice.Parse(happened.Data!);
        Guid? buyer = visitor == default ? null : visitor;
        long? page = happened.Page.Value == 0 ? null : happened.Page.Value;
        Credit(_sales.Note(notice, buyer, page, at, _context), notice.Order, notice.Line, at);
    }

    private void TakeStay(JournalEvent happened, Guid visitor, long at)
    {
        var stay = StayNote.Parse(happened.Data!);
        foreach (var test in _context.TestsOf(happened.Step.Value))
            if (
                test.RunsAt(at)
                && _tests.Find(test.Test, visitor) is { } stood
                && _stays.Note(test, stood, happened.Page.Value, visitor, stay.Milliseconds, stay.Engaged)
            )
                _tests.Touched.Add(new(test.Test));
    }

    private void TakeVisit(JournalEvent happened, Guid visitor, long at)
    {
        if (_context.Role(happened.Step.Value) is not { } role)
            return;
        var note = VisitNote.Parse(happened.Data);
        if (role.IsSection)
        {
            TakePlace(happened, note, _arrivals.SourceOf(role, visitor), isNew: false, role.Host);
            return;
        }
        var arrival = _arrivals.Note(role, visitor, note.Source, at);
        if (arrival.ToFunnel || arrival.IsNamed)
            _sales.Follow(visitor, arrival.IsNamed);
        if (
            note.Click is { } click
            && _arrivals.SourceOf(role.Funnel, note.Source) is > 0 and var network
            && _networks.Note(network, click, visitor, at)
        )
            _arrivals.Cost(role.Funnel, network, click.Cost);
        if (arrival.ToStep)
            _steps.Reached(happened.Step, TimeBucket.StartOf(at));
        TakePlace(happened, note, arrival.Source, arrival.ToFunnel, host: 0);
        // A visitor who has just come has no place in a test of another step.
        if (arrival.ToFunnel)
            return;
        if (arrival.ToStep && role.TellsLeads)
            _networks.OptedIn(visitor, at);
        CreditArrival(happened.Step.Value, role, visitor, at);
    }

    /// <param name="isNew">A visitor who has just come into the funnel has no place in another of its tests.</param>
    /// <param name="host">The step on whose pages the section is; 0 where this is a step.</param>
    private void TakePlace(JournalEvent happened, VisitNote note, long source, bool isNew, long host)
    {
        var visitor = happened.Visitor.Value;
        var at = happened.At.ToUnixTimeMilliseconds();
        if (happened is { Kind: EventKind.Enrol, Test: { } drawn, Phase: { } phase })
        {
            var traits = VisitorTraits.From(note, source, _context.Weekday(at));
            if (!_tests.Enrol(drawn, phase, happened.Page, visitor, at, traits))
                return;
            if (!isNew)
                _tests.Cross(drawn, happened.Page, _context.Partners(drawn.Value), visitor);
            if (host != 0)
                _combinations.Enrol(host, drawn.Value, happened.Page.Value, visitor);
        }
        else if (happened is { Kind: EventKind.Apart, Test: { } apart })
        {
            var why = note.Exclusion ?? ExclusionReason.NotRunning;
            // Drawn like anybody else; only in the test by itself the visitor would tell the wrong thing.
            if (
                _tests.SetApart(apart, happened.Page, why, visitor, at)
                && host != 0
                && why == ExclusionReason.Combination
            )
                _combinations.Enrol(host, apart.Value, happened.Page.Value, visitor);
        }
    }

    private void CreditArrival(long step, StepRole role, Guid visitor, long at)
    {
        foreach (var test in _context.Earlier(step))
            if (test.RunsAt(at) && _tests.Find(test.Test, visitor) is { } place)
                _tests.Walk(test, place, step, role.Bit, at);
        foreach (var test in _context.Goals(step))
            if (_tests.Find(test.Test, visitor) is { } place && test.Counts(place, at))
                CreditTest(test, place, visitor, at);
        foreach (var goal in _context.StepGoals(step))
            Meet(goal, new(visitor, at));
    }

    private void Meet(TestGoal goal, Meeting met)
    {
        if (_tests.Find(goal.Test.Test, met.Visitor) is not { } place)
            return;
        if (_goals.Meet(goal, place, met))
            _tests.Touched.Add(new(goal.Test.Test));
        // The verdict's own counts; visitors who stand apart are counted there too.
        if (
            goal.IsMain
            && met.Times > 0
            && goal.Counts(place, met.At)
            && goal.Goal.IsWithin(TimeSpan.FromMilliseconds(met.At - place.At))
        )
            CreditTest(goal.Test, place, met.Visitor, met.At);
    }

    private void CreditTest(GoalTest test, Place place, Guid visitor, long at)
    {
        var isCredited = _tests.Credit(test, place, _context.Partners(test.Test), visitor, at);
        if (isCredited && test.Host != 0)
            _combinations.Convert(test.Host, test.Test, visitor);
    }

    /// <param name="at">When it was told.</param>
    private void Credit(CreditedSale? sale, string order, string line, long at)
    {
        if (sale is null)
            return;
        if (sale.Amount > 0 && Currency.Find(sale.CountedIn) is { } currency)
            _networks.Bought(sale.Visitor, at, currency.Write(sale.Amount), currency.Code, order, line);
        foreach (var test in sale.Tests)
        {
            foreach (var goal in _context.SaleGoals(test))
            {
                var (times, worth) = sale.To(goal.Goal);
                if (times != 0 || worth != 0)
                    Meet(goal, new(sale.Visitor, sale.At, times, worth, order));
            }
        }
    }

    private JournalEvent Read() =>
        new(
            _events.Id(1),
            DateTimeOffset.FromUnixTimeMilliseconds(_events.Number(2)),
            (EventKind)_events.Number(3),
            new(_events.Id(4)),
            new(_events.Number(5)),
            new(_events.Number(6)),
            _events.IsNull(7) ? null : new TestId(_events.Number(7)),
            _events.IsNull(8) ? null : new PhaseId(_events.Number(8)),
            _events.Text(9)
        );
}
