using Microsoft.Data.Sqlite;

namespace Wexil.Store.Retention;

/// <summary>
/// What visitors did whose visits are not kept any more, in a table beside each tally. Counting again starts from it.
/// Sums of money have none, because visitors who bought are kept.
/// </summary>
public static class SealedTallies
{
    /// <summary>The tallies that have one, by name.</summary>
    public static readonly IReadOnlyList<string> All =
    [
        "step_tallies",
        "step_buckets",
        "step_days",
        "test_tallies",
        "test_buckets",
        "test_days",
        "source_tallies",
        "apart_tallies",
        "pair_tallies",
        "left_out",
        "goal_tallies",
        "path_tallies",
        "segment_tallies",
        "page_buckets",
        "stay_tallies",
        "combination_tallies",
    ];

    /// <summary>The table that holds the sealed part of a tally.</summary>
    public static string Of(string tally) => $"sealed_{tally}";

    /// <summary>Fills the tallies, which have to be empty, with what is sealed.</summary>
    internal static void Restore(SqliteConnection c)
    {
        foreach (var tally in All)
        {
            var columns = string.Join(", ", Columns(c, tally).Select(column => column.Name));
            c.Execute($"INSERT INTO {tally} ({columns}) SELECT {columns} FROM {Of(tally)}");
        }
    }

    /// <summary>Reads what a tally holds: a row of values each, in the order of the sealed table's columns.</summary>
    internal static List<object[]> Read(SqliteConnection c, string tally)
    {
        var columns = string.Join(", ", Columns(c, tally).Select(column => column.Name));
        return c.Rows($"SELECT {columns} FROM {tally}", row =>
        {
            var values = new object[row.FieldCount];
            row.GetValues(values);
            return values;
        });
    }

    /// <summary>
    /// Adds rows to the sealed part of a tally. What the tally itself does not hold is no part of any figure, and is
    /// passed over.
    /// </summary>
    internal static void Add(SqliteConnection c, string tally, IReadOnlyList<object[]> rows)
    {
        if (rows.Count == 0)
            return;
        var columns = Columns(c, tally);
        var same = columns.Where(column => column.IsKey).Select(column => $"t.{column.Name} = ${column.Number}");
        var added = columns
            .Where(column => !column.IsKey)
            .Select(column => $"{column.Name} = {column.Name} + excluded.{column.Name}");
        var sql = $"""
            INSERT INTO {Of(tally)} ({string.Join(", ", columns.Select(column => column.Name))})
            SELECT {string.Join(", ", columns.Select(column => $"${column.Number}"))}
            WHERE EXISTS (SELECT 1 FROM {tally} t WHERE {string.Join(" AND ", same)})
            ON CONFLICT DO UPDATE SET {string.Join(", ", added)}
            """;
        using var command = c.Command(sql, rows[0]);
        foreach (var row in rows)
        {
            for (var i = 0; i < row.Length; i++)
                command.Parameters[i].Value = row[i];
            command.ExecuteNonQuery();
        }
    }

    private readonly record struct Column(int Number, string Name, bool IsKey);

    private static List<Column> Columns(SqliteConnection c, string tally) =>
        c.Rows($"SELECT cid, name, pk FROM pragma_table_info('{Of(tally)}')", row => new Column(
            row.GetInt32(0) + 1,
            row.GetString(1),
            row.GetInt32(2) > 0
        ));
}
