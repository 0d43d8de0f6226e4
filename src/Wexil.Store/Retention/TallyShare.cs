using Microsoft.Data.Sqlite;
using Wexil.Core.Visitors;

namespace Wexil.Store.Retention;

/// <summary>
/// What some visitors' events are of each tally. Visitors are counted without regard to one another, so that the
/// figures of some and of the rest add up.
/// </summary>
/// <param name="connection">Reads the data file as <c>whole</c>.</param>
internal sealed class TallyShare : IDisposable
{
    private readonly SqliteConnection _connection;
    private readonly SideCount _count;

    public TallyShare(SqliteConnection connection)
    {
        (_connection, _count) = (connection, new(connection));
        connection.Execute("CREATE TEMP TABLE batch (visitor BLOB PRIMARY KEY) WITHOUT ROWID");
    }

    /// <summary>The rows that a batch's events are of each tally.</summary>
    public IReadOnlyList<(string Tally, List<object[]> Rows)> Of(OldBatch batch)
    {
        _count.Clear();
        _connection.Execute("DELETE FROM temp.batch");
        foreach (var visitor in batch.Visitors)
            _connection.Execute("INSERT INTO temp.batch VALUES ($1)", visitor);
        foreach (var number in batch.Events)
            _count.Take(number);
        TakeClicksOfOthers();
        _count.Count();
        return [.. SealedTallies.All.Select(tally => (tally, SealedTallies.Read(_connection, tally)))];
    }

    public void Dispose() => _count.Dispose();

    // A click that another visitor brought first has been paid for by that one.
    private void TakeClicksOfOthers()
    {
        var notes = _connection
            .Rows("SELECT data FROM main.events WHERE kind IN (1, 2, 3) AND instr(data, ' ') > 0", row =>
                VisitNote.Parse(row.GetString(0))
            )
            .Where(note => note.Click is { IsOfNobody: false });
        foreach (var note in notes)
            _connection.Execute(
                """
                INSERT OR IGNORE INTO main.ad_clicks
                SELECT k.*
                FROM whole.ad_clicks k JOIN whole.sources s ON s.id = k.source_id
                WHERE s.tag = $1 AND k.click_id = $2 AND k.visitor NOT IN (SELECT visitor FROM temp.batch)
                """,
                note.Source,
                note.Click!.Value.Id
            );
    }
}
