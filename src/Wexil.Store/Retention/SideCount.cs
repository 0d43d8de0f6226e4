using Microsoft.Data.Sqlite;
using Wexil.Store.Recording;

namespace Wexil.Store.Retention;

/// <summary>
/// Counts chosen events by themselves, in a database in memory, by the projector that counted them among all others.
/// </summary>
/// <param name="connection">Reads the data file as <c>whole</c>.</param>
internal sealed class SideCount : IDisposable
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
    private readonly PreparedStatement _copy;

    public SideCount(SqliteConnection connection)
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
        _projector = new(connection);
        _copy = new(connection, "INSERT INTO main.events SELECT * FROM whole.events WHERE seq = ?1");
    }

    /// <summary>Forgets what was counted.</summary>
    public void Clear()
    {
        _projector.Reset();
        _connection.Execute("DELETE FROM main.events; DELETE FROM main.ad_clicks");
    }

    /// <summary>Takes an event, whose number is above those taken before.</summary>
    public void Take(long number) => _copy.Bind(1, number).Run();

    /// <summary>Counts what was taken.</summary>
    public void Count()
    {
        while (_projector.Next(int.MaxValue, () => false, () => false) is not null) { }
    }

    public void Dispose()
    {
        _copy.Dispose();
        _projector.Dispose();
    }
}
