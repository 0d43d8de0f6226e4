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

/// <summary>What a write of Studio's changed of that which visitors are answered from.</summary>
/// <param name="Funnels">Those concerned.</param>
/// <param name="OfAll">Every funnel is: a setting was changed, or something is gone and no longer says where it
/// was.</param>
public sealed record RouteChange(IReadOnlySet<FunnelId> Funnels, bool OfAll);

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

    private const string FunnelOfSteps = "JOIN steps s ON s.id = o.step_id";

    // The funnel of each row, with the row. Tables that have no numbers change along with one that has: pages of a
    // test with its phase, and what a source is tied to with the source.
    private static readonly Dictionary<string, string> FunnelsOf = new()
    {
        ["funnels"] = "SELECT o.id, o.id FROM funnels o WHERE o.id",
        ["steps"] = "SELECT o.id, o.funnel_id FROM steps o WHERE o.id",
        ["pages"] = $"SELECT o.id, s.funnel_id FROM pages o {FunnelOfSteps} WHERE o.id",
        ["tests"] = $"SELECT o.id, s.funnel_id FROM tests o {FunnelOfSteps} WHERE o.id",
        ["phases"] =
            $"SELECT p.id, s.funnel_id FROM phases p JOIN tests o ON o.id = p.test_id {FunnelOfSteps} WHERE p.id",
        ["goals"] =
            $"SELECT g.id, s.funnel_id FROM goals g JOIN tests o ON o.id = g.test_id {FunnelOfSteps} WHERE g.id",
        ["sources"] = "SELECT o.id, o.funnel_id FROM sources o WHERE o.id",
        ["source_networks"] =
            "SELECT o.source_id, s.funnel_id FROM source_networks o JOIN sources s ON s.id = o.source_id "
            + "WHERE o.source_id",
    };

    private readonly Dictionary<string, HashSet<long>> _rows = [];
    private readonly HashSet<FunnelId> _funnels = [];
    private bool _routesOfAll;

    /// <summary>A table was touched that the projector knows by heart.</summary>
    public bool IsMapChanged { get; private set; }

    public bool OfAll { get; private set; }

    public void Add(string table, long row)
    {
        IsMapChanged |= ProjectionContext.IsFrom(table);
        OfAll |= table is "settings" or "rates";
        _routesOfAll |= table == "settings";
        if (!TestsOf.ContainsKey(table) && !FunnelsOf.ContainsKey(table))
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
        var ofTests = _rows.Where(touched => TestsOf.ContainsKey(touched.Key)).ToArray();
        if (ofTests.Length == 0)
            return null;
        return new(
            ofTests
                .SelectMany(touched =>
                    c.Rows(TestsOf[touched.Key], row => new TestId(row.GetInt64(0)), EvidenceStore.Json(touched.Value))
                )
                .ToHashSet(),
            OfAll: false
        );
    }

    /// <summary>A funnel is concerned although no row with a number says so.</summary>
    public void Add(FunnelId funnel) => _funnels.Add(funnel);

    /// <summary>To be called before the write is committed; null where visitors are answered as before.</summary>
    public RouteChange? FindRoutes(SqliteConnection c)
    {
        foreach (var (table, rows) in _rows)
        {
            if (!FunnelsOf.TryGetValue(table, out var sql))
                continue;
            var found = c.Rows(
                $"{sql} IN (SELECT value FROM json_each($1))",
                row => new FunnelId(row.GetInt64(1)),
                EvidenceStore.Json(rows)
            );
            _funnels.UnionWith(found);
            // A row that is gone does not say of which funnel it was.
            _routesOfAll |= found.Count < rows.Count;
        }
        return _routesOfAll || _funnels.Count > 0 ? new(_funnels, _routesOfAll) : null;
    }
}
