using Microsoft.Data.Sqlite;
using Wexil.Core.Sales;

namespace Wexil.Store.Recording.Projection;

/// <summary>A product of an order as it is kept.</summary>
/// <param name="Page">The page whose buy button was followed for it; null where it is not known.</param>
/// <param name="Counted">Its share of what is left of the order, in the currency that the order is counted in.</param>
internal sealed record LineRow(OrderLine Line, long? Page, long Counted);

/// <summary>Reads and writes what every order brought by product.</summary>
internal sealed class OrderLineRows(SqliteConnection connection) : IDisposable
{
    private readonly PreparedStatement _lines = new(
        connection,
        """
        SELECT product, sold, refunded, page_id, counted
        FROM order_lines
        WHERE order_id = ?1 AND currency = ?2
        ORDER BY number
        """
    );
    private readonly PreparedStatement _write = new(
        connection,
        """
        INSERT INTO order_lines (order_id, currency, number, product, sold, refunded, page_id, counted)
        VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)
        ON CONFLICT DO UPDATE
        SET sold = excluded.sold, refunded = excluded.refunded, page_id = excluded.page_id, counted = excluded.counted
        """
    );

    /// <summary>Those of an order, in the order they were told.</summary>
    public IReadOnlyList<LineRow> Of(string order, string currency)
    {
        var found = new List<LineRow>();
        _lines.Bind(1, order).Bind(2, currency);
        while (_lines.Next())
            found.Add(
                new(
                    new(_lines.Text(0)!, new(_lines.Number(1), _lines.Number(2))),
                    _lines.IsNull(3) ? null : _lines.Number(3),
                    _lines.Number(4)
                )
            );
        return found;
    }

    /// <summary>Writes those that differ from what is kept.</summary>
    public void Write(string order, string currency, IReadOnlyList<LineRow> before, IReadOnlyList<LineRow> after)
    {
        for (var i = 0; i < after.Count; i++)
        {
            if (i < before.Count && before[i] == after[i])
                continue;
            var (line, page, counted) = after[i];
            _write
                .Bind(1, order)
                .Bind(2, currency)
                .Bind(3, i + 1)
                .Bind(4, line.Product)
                .Bind(5, line.Balance.Sold)
                .Bind(6, line.Balance.Refunded)
                .Bind(7, page)
                .Bind(8, counted)
                .Run();
        }
    }

    public void Dispose()
    {
        _lines.Dispose();
        _write.Dispose();
    }
}
