using Microsoft.Data.Sqlite;

namespace Wexil.Store.Recording;

/// <summary>Transactions that begin and end by prepared statements; one at a time.</summary>
internal sealed class PreparedTransaction(SqliteConnection connection) : IDisposable
{
    private readonly PreparedStatement _begin = new(connection, "BEGIN IMMEDIATE"),
        _commit = new(connection, "COMMIT"),
        _undo = new(connection, "ROLLBACK");

    /// <summary>Runs the work and commits it; what goes wrong in either undoes both.</summary>
    public void Run(Action work)
    {
        _begin.Run();
        try
        {
            work();
            _commit.Run();
        }
        catch
        {
            Undo();
            throw;
        }
    }

    public void Dispose()
    {
        _begin.Dispose();
        _commit.Dispose();
        _undo.Dispose();
    }

    private void Undo()
    {
        try
        {
            _undo.Run();
        }
        catch (SqliteException)
        {
            // SQLite has undone it by itself, as it does when the disk is full.
        }
    }
}
