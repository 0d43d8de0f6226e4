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
            foreach (var one in order.Where(one => names.Replace(one.Line) != one.Line))
                RenameLine(c, one, names.Replace(one.Line));
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

    private static void RenameLine(SqliteConnection c, (string Order, string Line) told, string line) =>
        c.Execute(
            """
            UPDATE outgoing
            SET fields = json_set(fields, '$.Line', $3)
            WHERE source_id IS NOT NULL AND json_extract(fields, '$.Order') = $1 AND json_extract(fields, '$.Line') = $2
            """,
            told.Order,
            told.Line,
            line
        );

    private static void ReplaceTexts(SqliteConnection c, string order, StandIns names)
    {
        var emails = c.Rows("SELECT DISTINCT email FROM orders WHERE order_id = $1", row => row.GetString(0), order);
        foreach (var email in emails.Where(names.Has))
            c.Execute("UPDATE orders SET email = '' WHERE order_id = $1 AND email = $2", order, email);
        var products = c.Rows(
            "SELECT DISTINCT product FROM order_lines WHERE order_id = $1",
            row => row.GetString(0),
            order
        );
        foreach (var product in products)
            c.Execute(
                "UPDATE order_lines SET product = $3 WHERE order_id = $1 AND product = $2",
                order,
                product,
                names.Replace(product)
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
        c.Execute("UPDATE order_lines SET order_id = $2 WHERE order_id = $1", order, number);
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
