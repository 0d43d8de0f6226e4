using System.Data;
using Wexil.Core.SplitTests;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>
/// An event as it is handed out. E-mail addresses stay with People, and what an order says with the ledger.
/// </summary>
public sealed record EventRow(
    DateTimeOffset At,
    string Kind,
    string Visitor,
    long Step,
    long Page,
    long? Test,
    long? Phase,
    string? Data
);

/// <summary>Reads the events themselves; for handing them out, never for a screen.</summary>
public sealed class EventStore(Database database)
{
    /// <summary>
    /// The next events of a test's funnel since it started, and the number of the last one looked at; null at the end.
    /// </summary>
    /// <param name="after">The number of the last event that was looked at.</param>
    /// <param name="most">How many are looked at in one go.</param>
    public (IReadOnlyList<EventRow> Rows, long? Last) After(long after, SplitTest test, int most) =>
        database.Read(c =>
        {
            var rows = c.Rows(
                """
                SELECT e.seq, e.at, e.kind, lower(hex(e.visitor)) visitor, e.step_id, e.page_id, e.test_id,
                  e.phase_id, e.data, e.at >= $3 AND (e.kind IN (6, 7) OR e.step_id IN
                    (SELECT o.id FROM steps o JOIN steps s ON s.funnel_id = o.funnel_id WHERE s.id = $4)) is_in
                FROM events e WHERE e.seq > $1 ORDER BY e.seq LIMIT $2
                """,
                row =>
                {
                    var kind = (EventKind)row.GetInt32("kind");
                    var hidden = kind is EventKind.OptIn or EventKind.Sale or EventKind.Claim or EventKind.Confirmed;
                    return (
                        Seq: row.GetInt64("seq"),
                        IsIn: row.GetBoolean("is_in"),
                        Event: new EventRow(
                            row.Time("at"),
                            kind.ToString().ToLowerInvariant(),
                            row.GetString("visitor"),
                            row.GetInt64("step_id"),
                            row.GetInt64("page_id"),
                            row.NumberOrNull("test_id"),
                            row.NumberOrNull("phase_id"),
                            hidden ? null : row.TextOrNull("data")
                        )
                    );
                },
                after,
                most,
                test.StartedAt.ToUnixTimeMilliseconds(),
                test.Step.Value
            );
            return (
                (IReadOnlyList<EventRow>)[.. rows.Where(row => row.IsIn).Select(row => row.Event)],
                rows.Count == 0 ? (long?)null : rows[^1].Seq
            );
        });
}
