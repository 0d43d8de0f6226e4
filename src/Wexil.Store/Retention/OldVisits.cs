using Microsoft.Data.Sqlite;

namespace Wexil.Store.Retention;

/// <summary>Visits that may go, with those who came.</summary>
/// <param name="Visitors">None where the visits are nobody's.</param>
/// <param name="Events">All that they did, by number.</param>
internal sealed record OldBatch(IReadOnlyList<byte[]> Visitors, IReadOnlyList<long> Events);

/// <summary>
/// Finds the visits that may go. A visitor goes with all they did or not at all: once nothing of it is younger than a
/// moment, they left no address and bought nothing, and no test that they are in has been open since.
/// </summary>
/// <param name="connection">Reads the data file as <c>whole</c>.</param>
internal sealed class OldVisits(SqliteConnection connection, long before)
{
    private const int Slice = 20_000;

    // What the writer does in ten milliseconds: visitors wait meanwhile.
    private const int BatchSize = 100,
        NobodysBatchSize = 1_000;

    private const string VisitsOfAPerson = "kind IN (6, 7, 10) OR (kind = 4 AND coalesce(data, '') <> '')";

    // By visitor, so that the events of one lie together however many others came between.
    private const string Lists = """
        CREATE TEMP TABLE past (visitor BLOB NOT NULL, seq INTEGER NOT NULL, PRIMARY KEY (visitor, seq)) WITHOUT ROWID;
        CREATE TEMP TABLE kept (visitor BLOB PRIMARY KEY) WITHOUT ROWID;
        CREATE TEMP TABLE nobodys (seq INTEGER PRIMARY KEY);
        """;

    private const string NextVisitors = """
        SELECT DISTINCT visitor
        FROM past
        WHERE visitor > $1
        ORDER BY visitor LIMIT $2
        """;

    private const string Stays = """
        SELECT EXISTS (SELECT 1 FROM kept WHERE visitor = $1)
          OR EXISTS (SELECT 1 FROM whole.orders WHERE visitor = $1)
          OR EXISTS (SELECT 1 FROM whole.enrolments n JOIN whole.tests t ON t.id = n.test_id
            WHERE n.visitor = $1 AND coalesce(t.decided_at, $2) >= $2)
        """;

    private byte[] _last = [];
    private long _lastOfNobody;

    /// <summary>The last event that was looked at.</summary>
    public long Scanned { get; private set; }

    /// <summary>Looks at all that is counted so far.</summary>
    public void Find(CancellationToken stop)
    {
        connection.Execute(Lists);
        var end = Mark();
        // Numbers of events are given by counting on from the last, which therefore stays.
        connection.Execute("INSERT INTO kept SELECT visitor FROM whole.events ORDER BY seq DESC LIMIT 1");
        Each(0, end, ListOld, stop);
        Each(0, end, ListYoung, stop);
        Scanned = end;
    }

    /// <summary>Looks at what came since.</summary>
    public void CatchUp(CancellationToken stop)
    {
        var end = Mark();
        Each(Scanned, end, ListPeople, stop);
        Each(Scanned, end, ListYoung, stop);
        Scanned = end;
    }

    /// <summary>The next that may go; null when there are no more.</summary>
    public OldBatch? Next()
    {
        while (connection.Rows(NextVisitors, row => (byte[])row.GetValue(0), _last, BatchSize) is { Count: > 0 } next)
        {
            _last = next[^1];
            var going = next.Where(visitor => connection.Number(Stays, visitor, before) == 0).ToArray();
            if (going.Length > 0)
                return new(going, [.. going.SelectMany(EventsOf)]);
        }
        var nobodys = connection.Rows(
            """
            SELECT seq
            FROM nobodys
            WHERE seq > $1 AND seq < (SELECT max(seq) FROM whole.events)
            ORDER BY seq LIMIT $2
            """,
            row => row.GetInt64(0),
            _lastOfNobody,
            NobodysBatchSize
        );
        if (nobodys.Count == 0)
            return null;
        _lastOfNobody = nobodys[^1];
        return new([], nobodys);
    }

    private List<long> EventsOf(byte[] visitor) =>
        connection.Rows("SELECT seq FROM past WHERE visitor = $1", row => row.GetInt64(0), visitor);

    private long Mark() => connection.Number("SELECT mark FROM whole.projection") ?? 0;

    /// <summary>Some at a time, so that no view of the data stays open long and keeps its log from being emptied.
    /// </summary>
    private static void Each(long from, long end, Action<long, long> list, CancellationToken stop)
    {
        for (var start = from; start < end; start += Slice)
        {
            stop.ThrowIfCancellationRequested();
            list(start, Math.Min(start + Slice, end));
        }
    }

    private void ListOld(long from, long to)
    {
        ListPeople(from, to);
        connection.Execute(
            $"""
            INSERT INTO past
            SELECT visitor, seq
            FROM whole.events
            WHERE seq > $1 AND seq <= $2 AND at < $3 AND kind <> 5 AND NOT ({VisitsOfAPerson})
            """,
            from,
            to,
            before
        );
        connection.Execute(
            "INSERT INTO nobodys SELECT seq FROM whole.events WHERE seq > $1 AND seq <= $2 AND at < $3 AND kind = 5",
            from,
            to,
            before
        );
    }

    private void ListPeople(long from, long to) =>
        connection.Execute(
            $"""
            INSERT OR IGNORE INTO kept
            SELECT visitor
            FROM whole.events
            WHERE seq > $1 AND seq <= $2 AND ({VisitsOfAPerson})
            """,
            from,
            to
        );

    // Only of those who came before, or the list would be as long as the last year.
    private void ListYoung(long from, long to) =>
        connection.Execute(
            """
            INSERT OR IGNORE INTO kept
            SELECT visitor
            FROM whole.events e
            WHERE seq > $1 AND seq <= $2 AND at >= $3 AND EXISTS (SELECT 1 FROM past p WHERE p.visitor = e.visitor)
            """,
            from,
            to,
            before
        );
}
