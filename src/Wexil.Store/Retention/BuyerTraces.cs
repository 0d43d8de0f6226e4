using System.Text.Json;
using Microsoft.Data.Sqlite;
using Wexil.Core.Sales;
using Wexil.Store.Recording;

namespace Wexil.Store.Retention;

/// <summary>
/// Takes buyers' addresses out of the events of their orders. Where the address was all that told whose an order is,
/// the event names the visitor from then on, so that the same page is credited when it is counted again.
/// </summary>
/// <param name="connection">Reads the data file as <c>whole</c>.</param>
internal sealed class BuyerTraces(SqliteConnection connection, SideCount count, StandIns names)
{
    /// <param name="Sale">Null for a claim.</param>
    /// <param name="Data">Of a claim, the order's number.</param>
    private sealed record OrderEvent(long Number, byte[] Visitor, SaleNotice? Sale, string Data)
    {
        public bool IsOfNobody => Visitor.AsSpan().IndexOfAnyExcept((byte)0) < 0;
    }

    /// <summary>Does a sale or a claim name one of them?</summary>
    public static bool Names(EventKind kind, string data, StandIns names) => OrderNaming(kind, data, names) is not null;

    /// <summary>The orders that name one of them.</summary>
    public IReadOnlyCollection<string> Orders()
    {
        using var command = connection.Command(
            "SELECT kind, data FROM whole.events WHERE kind IN ($1, $2) AND instr(data, '@') > 0",
            (int)EventKind.Sale,
            (int)EventKind.Claim
        );
        using var row = command.ExecuteReader();
        var orders = new HashSet<string>();
        while (row.Read())
            if (OrderNaming((EventKind)row.GetInt32(0), row.GetString(1), names) is { } order)
                orders.Add(order);
        return orders;
    }

    /// <summary>The sales and claims of orders, by number.</summary>
    public IReadOnlyList<long> EventsOf(IReadOnlyCollection<string> orders) =>
        orders.Count == 0
            ? []
            : connection.Rows(
                """
                SELECT seq
                FROM whole.events
                WHERE CASE kind WHEN $2 THEN json_extract(data, '$.Order') WHEN $3 THEN data END
                  IN (SELECT value FROM json_each($1))
                """,
                row => row.GetInt64(0),
                JsonSerializer.Serialize(orders),
                (int)EventKind.Sale,
                (int)EventKind.Claim
            );

    /// <summary>What is to be written of orders once their buyers are removed.</summary>
    /// <param name="numbers">All sales and claims of whole orders.</param>
    public Action<SqliteConnection> Removal(IEnumerable<long> numbers)
    {
        OrderEvent[] events = [.. numbers.Select(Read)];
        var buyers = Buyers(events);
        EventChange[] changes =
        [
            .. events.Select(one => new EventChange(
                one.Number,
                one.Sale is { } sale ? names.Replace(sale).ToJson() : names.Replace(one.Data),
                buyers.GetValueOrDefault(one.Number)
            )),
        ];
        return c =>
        {
            foreach (var change in changes)
                change.Write(c);
            OrderRows.Replace(c, events.Select(one => (one.Sale?.Order ?? one.Data, one.Sale?.Line ?? "")), names);
        };
    }

    private static string? OrderNaming(EventKind kind, string data, StandIns names)
    {
        if (!data.Contains('@', StringComparison.Ordinal))
            return null;
        if (kind == EventKind.Claim)
            return names.Replace(data) == data ? null : data;
        var sale = SaleNotice.Parse(data);
        return names.Replace(sale) == sale ? null : sale.Order;
    }

    private OrderEvent Read(long number) =>
        connection
            .Rows(
                "SELECT kind, visitor, data FROM whole.events WHERE seq = $1",
                row => new OrderEvent(
                    number,
                    (byte[])row.GetValue(1),
                    row.GetInt32(0) == (int)EventKind.Sale ? SaleNotice.Parse(row.GetString(2)) : null,
                    row.GetString(2)
                ),
                number
            )
            .Single();

    /// <summary>
    /// Whose the sales of nobody were found to be, by number: they are counted again, with the opt-ins of whoever they
    /// name.
    /// </summary>
    private Dictionary<long, byte[]> Buyers(IReadOnlyCollection<OrderEvent> events)
    {
        var buyers = new Dictionary<long, byte[]>();
        var unknown = events.Where(one => one is { Sale: not null, IsOfNobody: true }).ToDictionary(one => one.Number);
        if (unknown.Count == 0)
            return buyers;
        count.Clear();
        foreach (var number in OptIns(events).Concat(events.Select(one => one.Number)).Order())
        {
            count.Take(number);
            count.Count();
            if (unknown.TryGetValue(number, out var one) && Buyer(one.Sale!) is { } buyer)
                buyers.Add(number, buyer);
        }
        return buyers;
    }

    private IEnumerable<long> OptIns(IEnumerable<OrderEvent> events) =>
        connection.Rows(
            """
            SELECT e.seq
            FROM json_each($1) j
            JOIN whole.leads l ON l.email = j.value COLLATE NOCASE
            JOIN whole.events e ON e.id = l.event_id
            """,
            row => row.GetInt64(0),
            JsonSerializer.Serialize(
                events.Select(one => one.Sale?.Email).OfType<string>().Where(email => email != "").Distinct()
            )
        );

    private byte[]? Buyer(SaleNotice sale) =>
        connection
            .Rows(
                """
                SELECT visitor
                FROM main.orders
                WHERE order_id = $1 AND currency = $2 AND visitor IS NOT NULL
                """,
                row => (byte[])row.GetValue(0),
                sale.Order,
                sale.Currency
            )
            .SingleOrDefault();
}
