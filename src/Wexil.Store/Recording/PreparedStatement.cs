using System.Text;
using Microsoft.Data.Sqlite;
using SQLitePCL;

namespace Wexil.Store.Recording;

/// <summary>
/// A prepared statement on SQLite's own interface, for the handful that run once a visit: several times cheaper than a
/// command. Parameters are numbered in the statement, ?1, ?2 …; columns are counted from 0.
/// </summary>
internal sealed class PreparedStatement : IDisposable
{
    /// <summary>SQLite takes a copy of what is bound.</summary>
    private const nint Copied = -1;

    private readonly sqlite3 _connection;
    private readonly sqlite3_stmt _owner;
    private readonly nint _statement,
        _changes;

    public PreparedStatement(SqliteConnection connection, string sql)
    {
        _connection = connection.Handle!;
        Check(raw.sqlite3_prepare_v2(_connection, sql, out _owner));
        (_statement, _changes) = (_owner.DangerousGetHandle(), _connection.DangerousGetHandle());
    }

    public PreparedStatement Bind(int parameter, long value)
    {
        Check(SqliteNative.BindNumber(_statement, parameter, value));
        return this;
    }

    public PreparedStatement Bind(int parameter, double value)
    {
        Check(SqliteNative.BindReal(_statement, parameter, value));
        return this;
    }

    public PreparedStatement Bind(int parameter, long? value)
    {
        if (value is { } number)
            return Bind(parameter, number);
        Check(SqliteNative.BindNull(_statement, parameter));
        return this;
    }

    /// <summary>
    /// Binds an id as its 16 bytes, the highest first, so that ids in order of time are in order in an index.
    /// </summary>
    public PreparedStatement Bind(int parameter, Guid value)
    {
        Span<byte> bytes = stackalloc byte[16];
        value.TryWriteBytes(bytes, bigEndian: true, out _);
        Check(SqliteNative.BindBytes(_statement, parameter, bytes, bytes.Length, Copied));
        return this;
    }

    public PreparedStatement Bind(int parameter, string? value)
    {
        if (value is null)
        {
            Check(SqliteNative.BindNull(_statement, parameter));
            return this;
        }
        var room = Encoding.UTF8.GetMaxByteCount(value.Length);
        // A span of no bytes has no address, and SQLite would take that for no text at all.
        var bytes = room is > 0 and <= 512 ? stackalloc byte[room] : new byte[Math.Max(room, 1)];
        Check(SqliteNative.BindText(_statement, parameter, bytes, Encoding.UTF8.GetBytes(value, bytes), Copied));
        return this;
    }

    /// <summary>Moves to the next row; false at the end, where the statement is made ready to run again.</summary>
    public bool Next()
    {
        var result = SqliteNative.Step(_statement);
        if (result == raw.SQLITE_ROW)
            return true;
        // Resetting repeats the error of a step that failed.
        var reset = SqliteNative.Reset(_statement);
        Check(result == raw.SQLITE_DONE ? raw.SQLITE_OK : reset);
        return false;
    }

    /// <summary>Runs a statement that gives no rows and returns how many it changed.</summary>
    public int Run()
    {
        Next();
        return SqliteNative.Changes(_changes);
    }

    public void Reset() => _ = SqliteNative.Reset(_statement);

    public bool IsNull(int column) => SqliteNative.ColumnType(_statement, column) == raw.SQLITE_NULL;

    public long Number(int column) => SqliteNative.ColumnNumber(_statement, column);

    public long? NumberOrNull(int column) => IsNull(column) ? null : Number(column);

    public Guid Id(int column) => new(Bytes(SqliteNative.ColumnBytes(_statement, column), 16), bigEndian: true);

    public string? Text(int column) =>
        SqliteNative.ColumnText(_statement, column) is not 0 and var text
            ? Encoding.UTF8.GetString(Bytes(text, SqliteNative.ColumnLength(_statement, column)))
            : null;

    public void Dispose() => _owner.Dispose();

    private static unsafe ReadOnlySpan<byte> Bytes(nint address, int length) => new((void*)address, length);

    private void Check(int result)
    {
        if (result != raw.SQLITE_OK)
            SqliteException.ThrowExceptionForRC(result, _connection);
    }
}
