using Microsoft.Data.Sqlite;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Retention;

/// <summary>
/// What some visitors' events are of each tally: they are counted by themselves, in a database in memory, by the
/// projector that counted them among all others. Visitors are counted without regard to one another, so that the
/// figures of some and of the rest add up.
/// </summary>
/// <param name="connection">Reads the data file as <c>whole</c>.</param>
internal sealed class TallyShare : IDisposable
{
    /// <summary>What the projector goes by besides events.</summary>
    private static readonly string[] Settings =
    [
        "settings",
        "rates",
        "steps",
        "pages",
        "phases",
        "tests",
        "goals",
        "sources",
    ];

    private readonly SqliteConnection _connection;
    private readonly Projector _projector;

    public TallyShare(SqliteConnection connection)
    {
        _connection = connection;
        connection.Execute("PRAGMA foreign_keys=OFF");
        var tables = connection.Rows(
            "SELECT sql FROM whole.sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite%'",
            row => row.GetString(0)
        );
        foreach (var table in tables)
            connection.Execute(table);
        connection.Execute("INSERT INTO main.projection VALUES (0)");
        foreach (var table in Settings)
            connection.Execute($"INSERT INTO main.{table} SELECT * FROM whole.{table}");
        connection.Execute("CREATE TEMP TABLE batch (visitor BLOB PRIMARY KEY) WITHOUT ROWID");
        _projector = new(connection);
    }

    /// <summary>The rows that a batch's events are of each tally.</summary>
    public IReadOnlyList<(string Tally, List<object[]> Rows)> Of(OldBatch batch)
    {
        Take(batch);
        while (_projector.Next(int.MaxValue, () => false, () => false) is not null) { }
        return [.. SealedTallies.All.Select(tally => (tally, SealedTallies.Read(_connection, tally)))];
    }

    public void Dispose() => _projector.Dispose();

    private void Take(OldBatch batch)
    {
        _projector.Reset();
        _connection.Execute("DELETE FROM main.events; DELETE FROM main.ad_clicks; DELETE FROM temp.batch");
        foreach (var visitor in batch.Visitors)
            _connection.Execute("INSERT INTO temp.batch VALUES ($1)", visitor);
        using var copy = new PreparedStatement(
            _connection,
            "INSERT INTO main.events SELECT * FROM whole.events WHERE seq = ?1"
        );
        foreach (var number in batch.Events)
            copy.Bind(1, number).Run();
        TakeClicksOfOthers();
    }

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
