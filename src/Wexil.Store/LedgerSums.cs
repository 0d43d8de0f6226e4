namespace Wexil.Store;

/// <summary>
/// Sums orders up by something. They are grouped by numbers first and get their names after: an agency has thousands
/// of orders for each page.
/// </summary>
internal static class LedgerSums
{
    private const string Net = "sum(coalesce(o.worth, max(0, o.sold - o.refunded)))";

    // An order that is credited to two tests counts in both.
    private const string ByTest = $"""
        SELECT n.test_id one, n.page_id other, o.counted_in, count(*) orders, {Net} net
        FROM orders o JOIN order_tests n ON n.order_id = o.order_id AND n.currency = o.currency
        """;

    private const string BySource = $"""
        SELECT CASE WHEN o.visitor IS NULL THEN -3 ELSE coalesce(o.source_id, -2) END one, 0 other, o.counted_in,
          count(*) orders, {Net} net
        FROM orders o
        """;

    private const string EarlierOfPage = """
        SELECT 1
        FROM order_lines e
        WHERE e.order_id = l.order_id AND e.currency = l.currency AND e.number < l.number AND e.sold > 0
          AND coalesce(e.page_id, o.page_id) IS coalesce(l.page_id, o.page_id)
        """;

    // The names are those that the Sources screen gives.
    private const string SourceName = $"""
        CASE g.one WHEN -3 THEN '' WHEN -2 THEN '{SaleStore.NotCounted}' WHEN -1 THEN '{SourceStore.OtherTags}'
          WHEN 0 THEN '{SourceStore.Unnamed}'
          ELSE coalesce((SELECT s.name FROM sources s WHERE s.id = g.one), '{SaleStore.NotCounted}') END
        """;

    private static string ByLine(string one, string orders) =>
        $"""
            SELECT {one} one, 0 other, o.counted_in, {orders} orders, sum(l.counted) net
            FROM orders o JOIN order_lines l ON l.order_id = o.order_id AND l.currency = o.currency AND l.sold > 0
            """;

    /// <param name="where">Which orders, in SQL about a table o.</param>
    public static string Sql(LedgerBy by, string where)
    {
        var (grouped, name, joins) = by switch
        {
            LedgerBy.Test => (
                ByTest,
                "t.name || ': ' || p.name",
                "JOIN tests t ON t.id = g.one JOIN pages p ON p.id = g.other"
            ),
            LedgerBy.Source => (BySource, SourceName, ""),
            LedgerBy.Page => (
                ByLine("coalesce(l.page_id, o.page_id)", $"sum(l.number = 1 OR NOT EXISTS ({EarlierOfPage}))"),
                "coalesce(p.name, '')",
                "LEFT JOIN pages p ON p.id = g.one"
            ),
            _ => (ByLine("l.product", "count(*)"), "g.one", ""),
        };
        return $"""
            SELECT {name}, g.counted_in, sum(g.orders), sum(g.net)
            FROM ({grouped} {where} GROUP BY 1, 2, 3) g {joins}
            GROUP BY 1, 2
            ORDER BY 4 DESC LIMIT 50
            """;
    }
}
