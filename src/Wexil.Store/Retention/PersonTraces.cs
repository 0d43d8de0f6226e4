using System.Text.Json;
using Microsoft.Data.Sqlite;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Retention;

/// <summary>All that the events know of some people, and what is left of it once they are removed.</summary>
internal sealed class PersonTraces
{
    private readonly StandIns _names;
    private readonly ClickTraces _clicks;
    private readonly IReadOnlyList<EventChange> _changes;
    private readonly Action<SqliteConnection> _removeBuyers;
    private readonly long _seen;

    /// <param name="connection">Reads the data file as <c>whole</c>.</param>
    public PersonTraces(SqliteConnection connection, SideCount count, StandIns names)
    {
        _names = names;
        _seen = connection.Number("SELECT mark FROM whole.projection") ?? 0;
        Visitors = Named(connection);
        _clicks = new(connection, count, Visitors);
        var buyers = new BuyerTraces(connection, count, names);
        _removeBuyers = buyers.Removal(buyers.EventsOf(buyers.Orders()));
        _changes = [.. Emptied(connection), .. _clicks.Changes()];
    }

    /// <summary>The visitors who opted in or bought with one of the addresses.</summary>
    public IReadOnlyList<byte[]> Visitors { get; }

    /// <summary>Takes them out of the events and the orders.</summary>
    /// <returns>False, with nothing changed, where one of them did something since they were looked for.</returns>
    public bool Remove(SqliteConnection c)
    {
        if (HasMore(c))
            return false;
        foreach (var change in _changes)
            change.Write(c);
        _removeBuyers(c);
        return true;
    }

    private bool HasMore(SqliteConnection c) =>
        c.Rows(
                """
                SELECT kind, visitor, data
                FROM events
                WHERE seq > $1 AND (kind IN (4, 6, 7, 10) OR (kind IN (1, 2, 3) AND instr(data, ' ') > 0))
                """,
                row => Names((EventKind)row.GetInt32(0), (byte[])row.GetValue(1), row.GetString(2)),
                _seen
            )
            .Contains(true);

    private bool Names(EventKind kind, byte[] visitor, string data) =>
        kind switch
        {
            EventKind.OptIn => _names.Has(OptInNote.Split(data).Email),
            EventKind.Confirmed => _names.Has(data),
            EventKind.Sale or EventKind.Claim => BuyerTraces.Names(kind, data, _names),
            _ => _clicks.Names(visitor, data),
        };

    private List<byte[]> Named(SqliteConnection connection) =>
        connection.Rows(
            """
            SELECT l.visitor FROM json_each($1) j JOIN whole.leads l ON l.email = j.value COLLATE NOCASE
            UNION
            SELECT o.visitor FROM json_each($2) j JOIN whole.orders o ON o.email = j.value AND o.email <> ''
            WHERE o.visitor IS NOT NULL
            """,
            row => (byte[])row.GetValue(0),
            JsonSerializer.Serialize(_names.Emails),
            JsonSerializer.Serialize(_names.Emails.Select(email => email.ToLowerInvariant()))
        );

    /// <summary>Opt-ins and confirmations are counted without an address too.</summary>
    private IEnumerable<EventChange> Emptied(SqliteConnection connection) =>
        connection.Rows(
            """
            SELECT e.seq
            FROM json_each($1) j
            JOIN whole.leads l ON l.email = j.value COLLATE NOCASE
            JOIN whole.events e ON e.id = l.event_id
            UNION
            SELECT seq
            FROM whole.events
            WHERE kind = $2 AND data COLLATE NOCASE IN (SELECT value FROM json_each($1))
            """,
            row => new EventChange(row.GetInt64(0), ""),
            JsonSerializer.Serialize(_names.Emails),
            (int)EventKind.Confirmed
        );
}
