using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Sales;

namespace Wexil.Store.Recording.Projection;

/// <summary>Money that was credited to places in tests.</summary>
/// <param name="Orders">1 for a new order, 0 for more of it, money back, or another rate.</param>
/// <param name="Worth">In the owner's currency's smallest unit, negative for money back; 0 where no rate is
/// known.</param>
/// <param name="Amount">In the smallest unit of <paramref name="CountedIn"/>: the owner's currency where a rate is
/// known, else the order's.</param>
internal sealed record CreditedSale(
    Guid Visitor,
    long At,
    string Product,
    int Orders,
    long Worth,
    long Amount,
    string CountedIn,
    IReadOnlyList<long> Tests
);

/// <summary>
/// Keeps what every order brought and what that is worth to the owner, and has it credited to its visitor.
/// </summary>
internal sealed class SaleProjection : IDisposable
{
    private readonly PreparedStatement _order,
        _write,
        _test,
        _source,
        _lead,
        _claim;
    private readonly MoneyProjection _money;
    private readonly SqliteConnection _connection;
    private readonly VisitorRows _rows;

    // At least those whose orders have no source yet; null until somebody asks.
    private HashSet<Guid>? _uncounted;

    public SaleProjection(SqliteConnection connection, VisitorRows rows)
    {
        (_connection, _rows) = (connection, rows);
        _order = new(
            connection,
            """
            SELECT at, sold, refunded, product, email, page_id, channel, visitor, counted_in, worth, source_id
            FROM orders
            WHERE order_id = ?1 AND currency = ?2
            """
        );
        _write = new(
            connection,
            """
            INSERT INTO orders (order_id, currency, at, sold, refunded, product, email, page_id, channel, visitor,
              counted_in, worth, source_id)
            VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13)
            ON CONFLICT DO UPDATE SET at = excluded.at, sold = excluded.sold, refunded = excluded.refunded,
              product = excluded.product, email = excluded.email, page_id = excluded.page_id,
              channel = excluded.channel, visitor = excluded.visitor, counted_in = excluded.counted_in,
              worth = excluded.worth, source_id = excluded.source_id
            """
        );
        _test = new(connection, "INSERT OR IGNORE INTO order_tests VALUES (?1, ?2, ?3, ?4)");
        _source = new(connection, "UPDATE orders SET source_id = ?2 WHERE visitor = ?1");
        _lead = new(connection, "SELECT visitor FROM leads WHERE email = ?1 COLLATE NOCASE ORDER BY at DESC LIMIT 1");
        _claim = new(connection, "SELECT currency FROM orders WHERE order_id = ?1 AND visitor IS NULL");
        _money = new(connection, rows);
    }

    /// <summary>The tests whose counts a batch changed.</summary>
    public IReadOnlySet<TestId> Touched => _money.Touched;

    public void Clear() => _money.Clear();

    /// <summary>A sale, or money back. Every telling of it after the first is no event any more.</summary>
    /// <returns>What was credited; null where that is nothing yet.</returns>
    public CreditedSale? Note(SaleNotice notice, Guid? visitor, long? page, long at, ProjectionContext map)
    {
        var before = Find(notice.Order, notice.Currency);
        var balance = before?.Balance ?? default;
        var after = balance.With(notice.Kind, notice.Amount);
        // A refund knows little; what its sale says of the order counts.
        var isFirstSale = notice.Kind == SaleKind.Sale && balance.Sold == 0;
        var known =
            isFirstSale || before is null
                ? new Order(
                    at,
                    after,
                    notice.Product,
                    notice.Email,
                    page,
                    notice.Channel.ToString(),
                    visitor ?? before?.Visitor
                )
                : before with
                {
                    Balance = after,
                    Visitor = before.Visitor ?? visitor,
                    Page = before.Page ?? page,
                };
        if (known.Visitor is null && known.Email.Length > 0)
            known = known with { Visitor = OfLead(known.Email) };
        known = Valued(known with { Source = SourceOf(known.Visitor) }, notice.Currency, map);
        Write(notice.Order, notice.Currency, known);
        // A buyer who is found only now has been credited with nothing before.
        var credited = before is { Visitor: not null } ? balance.Net : 0;
        return Credit(
            (notice.Order, notice.Currency),
            known,
            credited,
            isFirstSale || (before is { Visitor: null } && after.Sold > 0) ? 1 : 0,
            map
        );
    }

    /// <summary>
    /// A visitor came into a funnel, or was sent by a source for the first time: earlier orders follow.
    /// </summary>
    public void Follow(Guid visitor, bool isNamed)
    {
        // Hardly anybody orders before the first visit that counts.
        if (isNamed || _rows.Of(visitor).Funnels.Count > 1 || Uncounted.Contains(visitor))
            _source.Bind(1, visitor).Bind(2, SourceOf(visitor)).Run();
    }

    /// <summary>Somebody says whose an order is that nobody was credited with.</summary>
    public IReadOnlyList<CreditedSale> Assign(string order, Guid visitor, ProjectionContext map)
    {
        var credited = new List<CreditedSale>();
        var currencies = new List<string>();
        _claim.Bind(1, order);
        while (_claim.Next())
            currencies.Add(_claim.Text(0)!);
        foreach (var currency in currencies)
        {
            var found = Find(order, currency)! with { Visitor = visitor, Source = SourceOf(visitor) };
            Write(order, currency, found);
            if (Credit((order, currency), found, 0, found.Balance.Sold > 0 ? 1 : 0, map) is { } credit)
                credited.Add(credit);
        }
        return credited;
    }

    /// <summary>
    /// The owner's rates or currency changed: an order is counted by what it is worth now, from <see cref="Settle"/>
    /// on.
    /// </summary>
    /// <param name="ownBefore">The owner's currency before the change.</param>
    /// <returns>What that changed for its visitor; null for nothing.</returns>
    public CreditedSale? Value(string order, string currency, string ownBefore, ProjectionContext map)
    {
        var before = Find(order, currency)!;
        var after = Valued(before, currency, map);
        if (before.Worth == after.Worth && before.CountedIn == after.CountedIn)
            return null;
        Write(order, currency, after);
        if (before.Visitor is not { } visitor)
            return null;
        var orders = before.Balance.Sold > 0 ? 1 : 0;
        var tests = _money.Change(
            new(visitor, before.At, before.CountedIn, -before.Counted, -orders, before.CountedIn == ownBefore),
            new(visitor, before.At, after.CountedIn, after.Counted, orders, after.CountedIn == map.Own),
            map
        );
        return new(
            visitor,
            before.At,
            before.Product,
            0,
            (after.Worth ?? 0) - (before.Worth ?? 0),
            after.Counted,
            after.CountedIn,
            tests
        );
    }

    public void Settle(ProjectionContext map) => _money.Settle(map);

    public void Write() => _money.Write();

    public void Dispose()
    {
        foreach (var part in (IDisposable[])[_order, _write, _test, _source, _lead, _claim, _money])
            part.Dispose();
    }

    private static Order Valued(Order order, string currency, ProjectionContext map)
    {
        var worth = map.Worth(currency, order.Balance.Net, order.At);
        return order with { Worth = worth, CountedIn = worth is null ? currency : map.Own };
    }

    /// <param name="credited">What the visitor was credited with before, in the order's currency.</param>
    private CreditedSale? Credit(
        (string Order, string Currency) key,
        Order order,
        long credited,
        int orders,
        ProjectionContext map
    )
    {
        // Both by the rate of the order's day, so that all money back leaves nothing.
        var worth = order.Worth is { } whole ? whole - map.Worth(key.Currency, credited, order.At)!.Value : 0;
        var amount = order.Worth is null ? order.Balance.Net - credited : worth;
        if (order.Visitor is not { } visitor || (amount == 0 && orders == 0))
            return null;
        var places = _money.Credit(
            new(visitor, order.At, order.CountedIn, amount, orders, order.Worth is not null),
            map
        );
        foreach (var place in places)
            _test.Bind(1, key.Order).Bind(2, key.Currency).Bind(3, place.Test).Bind(4, place.Page).Run();
        return new(
            visitor,
            order.At,
            order.Product,
            orders,
            worth,
            amount,
            order.CountedIn,
            [.. places.Select(place => place.Test)]
        );
    }

    private HashSet<Guid> Uncounted =>
        _uncounted ??= _connection
            .Rows(
                "SELECT DISTINCT visitor FROM orders WHERE source_id IS NULL AND visitor IS NOT NULL",
                row => new Guid((byte[])row.GetValue(0), bigEndian: true)
            )
            .ToHashSet();

    /// <summary>Who sent a buyer to the first of their funnels; null for one who is no visitor who counts.</summary>
    private long? SourceOf(Guid? visitor) =>
        visitor is { } known ? _rows.Of(known).Funnels.MinBy(visit => visit.Funnel)?.Source : null;

    private Guid? OfLead(string email)
    {
        if (!_lead.Bind(1, email).Next())
            return null;
        var visitor = _lead.Id(0);
        _lead.Reset();
        return visitor;
    }

    private Order? Find(string order, string currency)
    {
        if (!_order.Bind(1, order).Bind(2, currency).Next())
            return null;
        var found = new Order(
            _order.Number(0),
            new(_order.Number(1), _order.Number(2)),
            _order.Text(3)!,
            _order.Text(4)!,
            _order.IsNull(5) ? null : _order.Number(5),
            _order.Text(6)!,
            _order.IsNull(7) ? null : _order.Id(7)
        )
        {
            CountedIn = _order.Text(8)!,
            Worth = _order.IsNull(9) ? null : _order.Number(9),
            Source = _order.IsNull(10) ? null : _order.Number(10),
        };
        _order.Reset();
        return found;
    }

    private void Write(string order, string currency, Order known)
    {
        _write
            .Bind(1, order)
            .Bind(2, currency)
            .Bind(3, known.At)
            .Bind(4, known.Balance.Sold)
            .Bind(5, known.Balance.Refunded)
            .Bind(6, known.Product)
            .Bind(7, known.Email)
            .Bind(8, known.Page)
            .Bind(9, known.Channel)
            .Bind(11, known.CountedIn)
            .Bind(12, known.Worth)
            .Bind(13, known.Source);
        (known.Visitor is { } visitor ? _write.Bind(10, visitor) : _write.Bind(10, (long?)null)).Run();
        if (known is { Visitor: { } buyer, Source: null })
            _uncounted?.Add(buyer);
    }

    private sealed record Order(
        long At,
        OrderBalance Balance,
        string Product,
        string Email,
        long? Page,
        string Channel,
        Guid? Visitor
    )
    {
        /// <summary>The owner's currency where a rate is known, else the order's.</summary>
        public string CountedIn { get; init; } = "";

        /// <summary>In the owner's currency; null where no rate is known.</summary>
        public long? Worth { get; init; }

        /// <summary>The source that sent the buyer; null where the buyer is no visitor who counts.</summary>
        public long? Source { get; init; }

        public long Counted => Worth ?? Balance.Net;
    }
}
