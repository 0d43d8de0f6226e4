using Wexil.Core.Funnels;
using Wexil.Core.Splits;

namespace Wexil.Store;

/// <summary>Reads what the visitors' side answers from.</summary>
public sealed class RouteStore(Database database)
{
    public RouteTable Load() => database.Read(c =>
    {
        var pages = c.Rows("SELECT id, step_id, slug, revision, outside FROM pages ORDER BY id", row => new RoutePage(
            new(row.GetInt64(0)), new(row.GetInt64(1)), row.GetString(2), row.GetInt32(3), row.TextOrNull(4) is { } outside ? new Uri(outside) : null))
            .ToDictionary(page => page.Id);

        var testPages = c.Rows("SELECT test_id, page_id FROM test_pages ORDER BY test_id, position", row => (Test: row.GetInt64(0), Page: new PageId(row.GetInt64(1))))
            .ToLookup(row => row.Test, row => pages[row.Page]);
        // The newest test of a step, with its newest phase: running, or decided and still able to be taken up again.
        var tests = c.Rows(
            """
            SELECT t.id, t.step_id, t.decided_at IS NULL, p.id, p.weights FROM tests t JOIN phases p ON p.test_id = t.id
            WHERE t.id = (SELECT max(id) FROM tests n WHERE n.step_id = t.step_id) AND p.id = (SELECT max(id) FROM phases n WHERE n.test_id = t.id)
            """,
            row => (Step: row.GetInt64(1), Test: new RouteTest(
                new(row.GetInt64(0)), row.GetBoolean(2) ? new PhaseId(row.GetInt64(3)) : null, [.. testPages[row.GetInt64(0)]], Weights.Parse(row.GetString(4)), 0)))
            .ToDictionary(row => row.Step, row => row.Test);

        var steps = c.Rows(
            "SELECT id, slug, page_id, lead(slug) OVER (PARTITION BY funnel_id ORDER BY position) FROM steps",
            row => new RouteStep(new(row.GetInt64(0)), row.GetString(1), row.NumberOrNull(2) is { } page ? pages[new(page)] : null, tests.GetValueOrDefault(row.GetInt64(0)), row.TextOrNull(3)));
        return new RouteTable(steps, pages.Values);
    });
}
