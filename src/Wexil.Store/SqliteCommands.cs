using Microsoft.Data.Sqlite;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>Plain ADO.NET in one line a statement; parameters are named $1, $2 … in the order given.</summary>
internal static class SqliteCommands
{
    public static SqliteCommand Command(
        this SqliteConnection connection,
        string sql,
        params ReadOnlySpan<object?> values
    )
    {
        var command = connection.CreateCommand();
        command.CommandText = sql;
        for (var i = 0; i < values.Length; i++)
            command.Parameters.AddWithValue($"${i + 1}", values[i] ?? DBNull.Value);
        return command;
    }

    public static int Execute(this SqliteConnection connection, string sql, params ReadOnlySpan<object?> values)
    {
        using var command = connection.Command(sql, values);
        return command.ExecuteNonQuery();
    }

    /// <summary>Runs an insert and returns the new row's id.</summary>
    public static long Insert(this SqliteConnection connection, string sql, params ReadOnlySpan<object?> values)
    {
        using var command = connection.Command(sql + " RETURNING id", values);
        return (long)command.ExecuteScalar()!;
    }

    public static long? Number(this SqliteConnection connection, string sql, params ReadOnlySpan<object?> values)
    {
        using var command = connection.Command(sql, values);
        return command.ExecuteScalar() as long?;
    }

    public static string? Text(this SqliteConnection connection, string sql, params ReadOnlySpan<object?> values)
    {
        using var command = connection.Command(sql, values);
        return command.ExecuteScalar() as string;
    }

    public static List<T> Rows<T>(
        this SqliteConnection connection,
        string sql,
        Func<SqliteDataReader, T> map,
        params ReadOnlySpan<object?> values
    )
    {
        using var command = connection.Command(sql, values);
        using var reader = command.ExecuteReader();
        var rows = new List<T>();
        while (reader.Read())
            rows.Add(map(reader));
        return rows;
    }

    /// <summary>
    /// The same for very many rows, from one number to another: the reader of a command takes several times as long.
    /// </summary>
    public static List<T> HotRows<T>(
        this SqliteConnection connection,
        string sql,
        long from,
        long to,
        Func<PreparedStatement, T> map
    )
    {
        using var statement = new PreparedStatement(connection, sql).Bind(1, from).Bind(2, to);
        var rows = new List<T>();
        while (statement.Next())
            rows.Add(map(statement));
        return rows;
    }

    // Rows of many columns are read by name, as the framework's own extensions do it; short ones by place.
    public static long? NumberOrNull(this SqliteDataReader row, int column) =>
        row.IsDBNull(column) ? null : row.GetInt64(column);

    public static long? NumberOrNull(this SqliteDataReader row, string column) =>
        row.NumberOrNull(row.GetOrdinal(column));

    public static double? DoubleOrNull(this SqliteDataReader row, string column) =>
        row.IsDBNull(row.GetOrdinal(column)) ? null : row.GetDouble(row.GetOrdinal(column));

    public static string? TextOrNull(this SqliteDataReader row, int column) =>
        row.IsDBNull(column) ? null : row.GetString(column);

    public static string? TextOrNull(this SqliteDataReader row, string column) =>
        row.TextOrNull(row.GetOrdinal(column));

    public static DateTimeOffset Time(this SqliteDataReader row, int column) =>
        DateTimeOffset.FromUnixTimeMilliseconds(row.GetInt64(column));

    public static DateTimeOffset Time(this SqliteDataReader row, string column) => row.Time(row.GetOrdinal(column));

    public static DateTimeOffset? TimeOrNull(this SqliteDataReader row, int column) =>
        row.IsDBNull(column) ? null : row.Time(column);

    public static DateTimeOffset? TimeOrNull(this SqliteDataReader row, string column) =>
        row.TimeOrNull(row.GetOrdinal(column));
}
