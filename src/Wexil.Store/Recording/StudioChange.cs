using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Store.Recording.Projection;

namespace Wexil.Store.Recording;

/// <summary>What a write of Studio's changed of that which the results of tests are computed from.</summary>
/// <param name="Tests">Those concerned.</param>
/// <param name="OfAll">Every test is: a setting or a rate was changed.</param>
public sealed record StudioChange(IReadOnlySet<TestId> Tests, bool OfAll)
{
    /// <summary>Every test is concerned.</summary>
    public static readonly StudioChange Everything = new(new HashSet<TestId>(), OfAll: true);
}

/// <summary>Notes which rows a write touches. SQLite tells of tables whose rows are numbered.</summary>
internal sealed class TouchedRows
{
    private const string Beside = """
        SELECT other.id
        FROM tests t JOIN steps s ON s.id = t.step_id JOIN steps beside ON beside.host_id = s.host_id
          JOIN tests other ON other.step_id = beside.id
        WHERE t.id IN (SELECT value FROM json_each($1))
        """;

    // Where test_pages or looks change, a line of the log or a phase is written along with them.
    private static readonly Dictionary<string, string> TestsOf = new()
    {
        // Sections of one page are judged together.
        ["tests"] = $"SELECT value FROM json_each($1) UNION {Beside}",
        ["last_looks"] = $"SELECT value FROM json_each($1) UNION {Beside}",
        ["phases"] = "SELECT test_id FROM phases WHERE id IN (SELECT value FROM json_each($1))",
        ["goals"] = "SELECT test_id FROM goals WHERE id IN (SELECT value FROM json_each($1))",
        ["test_changes"] = "SELECT test_id FROM test_changes WHERE id IN (SELECT value FROM json_each($1))",
        ["pages"] = "SELECT test_id FROM test_pages WHERE page_id IN (SELECT value FROM json_each($1))",
        ["steps"] = """
            WITH touched AS (SELECT value FROM json_each($1))
            SELECT id FROM tests WHERE step_id IN touched UNION SELECT id FROM tests WHERE goal_step_id IN touched
            """,
    };

    private readonly Dictionary<string, HashSet<long>> _rows = [];

    /// <summary>A table was touched that the projector knows by heart.</summary>
    public bool IsMapChanged { get; private set; }

    public bool OfAll { get; private set; }

    public void Add(string table, long row)
    {
        IsMapChanged |= ProjectionContext.IsFrom(table);
        OfAll |= table is "settings" or "rates";
        if (!TestsOf.ContainsKey(table))
            return;
        if (!_rows.TryGetValue(table, out var rows))
            _rows[table] = rows = [];
        rows.Add(row);
    }

    /// <summary>To be called before the write is committed; null where no test is concerned.</summary>
    public StudioChange? Find(SqliteConnection c)
    {
        if (OfAll)
            return StudioChange.Everything;
        if (_rows.Count == 0)
            return null;
        return new(
            _rows
                .SelectMany(touched =>
                    c.Rows(TestsOf[touched.Key], row => new TestId(row.GetInt64(0)), EvidenceStore.Json(touched.Value))
                )
                .ToHashSet(),
            OfAll: false
        );
    }
}
