using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Goals;
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
    IReadOnlyList<CreditedLine> Lines,
    int Orders,
    long Worth,
    long Amount,
    string CountedIn,
    IReadOnlyList<long> Tests
)
{
    /// <summary>
    /// What it is to a goal: 1 where the order has become one that the goal takes, and what that is worth more or less
    /// than before. A goal of some products is met by their lines, whichever was told first.
    /// </summary>
    public (int Times, long Worth) To(Goal goal)
    {
        if (goal.Products.Count == 0)
            return (Orders, Worth);
        CreditedLine[] taken = [.. Lines.Where(line => goal.Takes(line.Product))];
        var times = taken.Any(line => line.IsSold) && !taken.Any(line => line.WasSold) ? 1 : 0;
        return (times, taken.Sum(line => line.Worth));
    }
}

/// <summary>What a credit changed of one product of its order.</summary>
/// <param name="Worth">In the owner's currency's smallest unit; 0 where no rate is known.</param>
internal readonly record struct CreditedLine(string Product, bool WasSold, bool IsSold, long Worth);

/// <summary>
/// Keeps what every order brought and what that is worth to the owner, and has it credited to its visitor.
/// </summary>
internal sealed class SaleProjection : IDisposable
{
    private readonly PreparedStatement _order,
        _write,
        _test,
        _source,
        _bought,
        _funnel,
        _lead,
        _claim;
    private readonly OrderLineRows _lines;
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
            SELECT at, sold, refunded, email, page_id, channel, visitor, counted_in, worth, source_id
            FROM orders
            WHERE order_id = ?1 AND currency = ?2
            """
        );
        _write = new(
            connection,
            """
            INSERT INTO orders (order_id, currency, at, sold, refunded, email, page_id, channel, visitor, counted_in,
              worth, source_id)
            VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12)
            ON CONFLICT DO UPDATE SET at = excluded.at, sold = excluded.sold, refunded = excluded.refunded,
              email = excluded.email, page_id = excluded.page_id, channel = excluded.channel,
              visitor = excluded.visitor, counted_in = excluded.counted_in, worth = excluded.worth,
              source_id = excluded.source_id
            """
        );
        _test = new(connection, "INSERT OR IGNORE INTO order_tests VALUES (?1, ?2, ?3, ?4)");
        _source = new(connection, "UPDATE orders SET source_id = ?3 WHERE order_id = ?1 AND currency = ?2");
        _bought = new(connection, "SELECT order_id, currency, page_id FROM orders WHERE visitor = ?1");
        _funnel = new(connection, "SELECT s.funnel_id FROM pages p JOIN steps s ON s.id = p.step_id WHERE p.id = ?1");
        _lead = new(connection, "SELECT visitor FROM leads WHERE email = ?1 COLLATE NOCASE ORDER BY at DESC LIMIT 1");
        _claim = new(connection, "SELECT currency FROM orders WHERE order_id = ?1 AND visitor IS NULL");
        _lines = new(connection);
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
                ? new Order(at, after, notice.Email, page, notice.Channel.ToString(), visitor ?? before?.Visitor)
                : before with
                {
                    Balance = after,
                    Visitor = before.Visitor ?? visitor,
                    Page = before.Page ?? page,
                };
        if (known.Visitor is null && known.Email.Length > 0)
            known = known with { Visitor = OfLead(known.Email) };
        known = known with
        {
            Source = SourceOf(known.Visitor, known.Page),
            Lines = With(before?.Lines ?? [], notice, page),
        };
        known = Valued(known, notice.Currency, map);
        Write(notice.Order, notice.Currency, known, before?.Lines);
        // A buyer who is found only now has been credited with nothing before.
        var credited = before is { Visitor: not null } ? before : null;
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
        if (!isNamed && _rows.Of(visitor).Funnels.Count < 2 && !Uncounted.Contains(visitor))
            return;
        var bought = new List<(string Order, string Currency, long? Page)>();
        _bought.Bind(1, visitor);
        while (_bought.Next())
            bought.Add((_bought.Text(0)!, _bought.Text(1)!, _bought.IsNull(2) ? null : _bought.Number(2)));
        foreach (var (order, currency, page) in bought)
            _source.Bind(1, order).Bind(2, currency).Bind(3, SourceOf(visitor, page)).Run();
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
            var unclaimed = Find(order, currency)!;
            var found = unclaimed with { Visitor = visitor, Source = SourceOf(visitor, unclaimed.Page) };
            Write(order, currency, found, found.Lines);
            if (Credit((order, currency), found, null, found.Balance.Sold > 0 ? 1 : 0, map) is { } credit)
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
        Write(order, currency, after, before.Lines);
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
            Changes(before, after),
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
        foreach (
            var part in (IDisposable[])[_order, _write, _test, _source, _bought, _funnel, _lead, _claim, _lines, _money]
        )
            part.Dispose();
    }

    private static Order Valued(Order order, string currency, ProjectionContext map)
    {
        var worth = map.Worth(currency, order.Balance.Net, order.At);
        order = order with { Worth = worth, CountedIn = worth is null ? currency : map.Own };
        var shares = OrderLines.Share(order.Counted, [.. order.Lines.Select(row => row.Line)]);
        return order with { Lines = [.. order.Lines.Zip(shares, (row, share) => row with { Counted = share })] };
    }

    private static IReadOnlyList<LineRow> With(IReadOnlyList<LineRow> rows, SaleNotice notice, long? page)
    {
        var lines = OrderLines.With([.. rows.Select(row => row.Line)], notice);
        return
        [
            .. lines.Select(
                (line, i) =>
                    i < rows.Count && rows[i].Line == line
                        ? rows[i]
                        : new LineRow(line, (i < rows.Count ? rows[i].Page : null) ?? page, 0)
            ),
        ];
    }

    private static IReadOnlyList<CreditedLine> Changes(Order? before, Order after) =>
        [
            .. after.Lines.Select(
                (row, i) =>
                {
                    var had = i < before?.Lines.Count ? before.Lines[i] : null;
                    var worth =
                        (after.Worth is null ? 0 : row.Counted) - (before?.Worth is null ? 0 : had?.Counted ?? 0);
                    return new CreditedLine(row.Line.Product, had?.Line.IsSold ?? false, row.Line.IsSold, worth);
                }
            ),
        ];

    /// <param name="credited">The order as the visitor was credited with it before; null for not at all.</param>
    private CreditedSale? Credit(
        (string Order, string Currency) key,
        Order order,
        Order? credited,
        int orders,
        ProjectionContext map
    )
    {
        // Both by the rate of the order's day, so that all money back leaves nothing.
        var had = credited?.Balance.Net ?? 0;
        var worth = order.Worth is { } whole ? whole - map.Worth(key.Currency, had, order.At)!.Value : 0;
        var amount = order.Worth is null ? order.Balance.Net - had : worth;
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
            Changes(credited, order),
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

    /// <summary>
    /// The source that sent a buyer to the funnel of the page that sold, or to the first of their funnels where that is
    /// not known. Null for one who is no visitor who counts.
    /// </summary>
    private long? SourceOf(Guid? visitor, long? page)
    {
        if (visitor is not { } known)
            return null;
        var row = _rows.Of(known);
        // Hardly anybody comes into two funnels.
        var sold = row.Funnels.Count > 1 && page is { } at && FunnelOf(at) is { } funnel ? row.In(funnel) : null;
        return (sold ?? row.Funnels.MinBy(visit => visit.Funnel))?.Source;
    }

    private long? FunnelOf(long page)
    {
        if (!_funnel.Bind(1, page).Next())
            return null;
        var funnel = _funnel.Number(0);
        _funnel.Reset();
        return funnel;
    }

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
            _order.IsNull(4) ? null : _order.Number(4),
            _order.Text(5)!,
            _order.IsNull(6) ? null : _order.Id(6)
        )
        {
            CountedIn = _order.Text(7)!,
            Worth = _order.IsNull(8) ? null : _order.Number(8),
            Source = _order.IsNull(9) ? null : _order.Number(9),
            Lines = _lines.Of(order, currency),
        };
        _order.Reset();
        return found;
    }

    private void Write(string order, string currency, Order known, IReadOnlyList<LineRow>? linesBefore)
    {
        _write
            .Bind(1, order)
            .Bind(2, currency)
            .Bind(3, known.At)
            .Bind(4, known.Balance.Sold)
            .Bind(5, known.Balance.Refunded)
            .Bind(6, known.Email)
            .Bind(7, known.Page)
            .Bind(8, known.Channel)
            .Bind(10, known.CountedIn)
            .Bind(11, known.Worth)
            .Bind(12, known.Source);
        (known.Visitor is { } visitor ? _write.Bind(9, visitor) : _write.Bind(9, (long?)null)).Run();
        _lines.Write(order, currency, linesBefore ?? [], known.Lines);
        if (known is { Visitor: { } buyer, Source: null })
            _uncounted?.Add(buyer);
    }

    private sealed record Order(long At, OrderBalance Balance, string Email, long? Page, string Channel, Guid? Visitor)
    {
        /// <summary>Its products, in the order they were told.</summary>
        public IReadOnlyList<LineRow> Lines { get; init; } = [];

        /// <summary>The owner's currency where a rate is known, else the order's.</summary>
        public string CountedIn { get; init; } = "";

        /// <summary>In the owner's currency; null where no rate is known.</summary>
        public long? Worth { get; init; }

        /// <summary>The source that sent the buyer; null where the buyer is no visitor who counts.</summary>
        public long? Source { get; init; }

        public long Counted => Worth ?? Balance.Net;
    }
}
