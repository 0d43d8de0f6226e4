using Microsoft.Data.Sqlite;
using Wexil.Store.Recording.Projection;

namespace Wexil.Store.Retention;

/// <summary>Takes buyers' addresses out of the rows of orders, as they go from the events.</summary>
internal static class OrderRows
{
    /// <param name="told">The orders' numbers and lines as they were.</param>
    public static void Replace(SqliteConnection c, IEnumerable<(string Order, string Line)> told, StandIns names)
    {
        var sources = c.Rows("SELECT source_id FROM source_networks", row => row.GetInt64(0));
        foreach (var order in told.Distinct().GroupBy(one => one.Order))
        {
            ReplaceTexts(c, order.Key, names);
            if (names.Replace(order.Key) is var number && number != order.Key)
                Renumber(c, order.Key, number);
            var causes = sources.SelectMany(source =>
                order.Select(one =>
                    (
                        Before: NetworkProjection.SaleCause(source, order.Key, one.Line),
                        After: NetworkProjection.SaleCause(source, number, names.Replace(one.Line))
                    )
                )
            );
            foreach (var (before, after) in causes)
                RenameCause(c, before, after);
        }
    }

    // A network would be told again of the same sale, when it is counted again.
    private static void RenameCause(SqliteConnection c, Guid before, Guid after)
    {
        if (before != after)
            c.Execute(
                "UPDATE outgoing SET cause = $2 WHERE cause = $1",
                before.ToByteArray(bigEndian: true),
                after.ToByteArray(bigEndian: true)
            );
    }

    private static void ReplaceTexts(SqliteConnection c, string order, StandIns names)
    {
        var rows = c.Rows(
            "SELECT currency, product, email FROM orders WHERE order_id = $1",
            row => (Currency: row.GetString(0), Product: row.GetString(1), Email: row.GetString(2)),
            order
        );
        foreach (var row in rows)
            c.Execute(
                "UPDATE orders SET product = $3, email = $4 WHERE order_id = $1 AND currency = $2",
                order,
                row.Currency,
                names.Replace(row.Product),
                names.Has(row.Email) ? "" : row.Email
            );
    }

    private static void Renumber(SqliteConnection c, string order, string number)
    {
        c.Execute(
            """
            UPDATE goals_met
            SET cause = $2
            WHERE cause = $1 AND visitor IN (SELECT visitor FROM orders WHERE order_id = $1)
            """,
            order,
            number
        );
        c.Execute("UPDATE orders SET order_id = $2 WHERE order_id = $1", order, number);
        c.Execute("UPDATE order_tests SET order_id = $2 WHERE order_id = $1", order, number);
        c.Execute(
            """
            UPDATE outgoing
            SET fields = json_set(fields, '$.Order', $2)
            WHERE source_id IS NOT NULL AND json_extract(fields, '$.Order') = $1
            """,
            order,
            number
        );
    }
}
