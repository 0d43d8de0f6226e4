using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Core.Sales;

namespace Wexil.Store.Recording.Projection;

/// <summary>Money that was credited to places in tests.</summary>
/// <param name="Orders">1 for a new order, 0 for more of it or money back.</param>
/// <param name="Value">In minor units, negative for money back.</param>
internal sealed record CreditedSale(Guid Visitor, long At, string Product, int Orders, long Value, string Currency, IReadOnlyList<long> Tests);

/// <summary>Keeps what every order brought, credits it to the places of its visitor in tests, and sums that up by page.</summary>
internal sealed class SaleCounts : IDisposable
{
    private readonly HotStatement _order, _write, _places, _earned, _earn, _tally, _funnels, _source, _lead, _claim;
    private readonly Dictionary<(long Test, long Phase, long Page, string Currency), Tally> _tallies = [];

    private readonly Dictionary<(long Funnel, long Source, string Currency), (long Orders, long Earned)> _sources = [];

    public SaleCounts(SqliteConnection connection)
    {
        _order = new(connection, "SELECT at, sold, refunded, product, email, page_id, channel, visitor FROM orders WHERE order_id = ?1 AND currency = ?2");
        _write = new(connection,
            """
            INSERT INTO orders VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10) ON CONFLICT DO UPDATE SET at = excluded.at, sold = excluded.sold, refunded = excluded.refunded,
              product = excluded.product, email = excluded.email, page_id = excluded.page_id, channel = excluded.channel, visitor = excluded.visitor
            """);
        _places = new(connection, "SELECT test_id, phase_id, page_id FROM enrolments WHERE visitor = ?1 AND at <= ?2 AND phase_id IS NOT NULL AND closed = 0");
        _earned = new(connection, "SELECT earned FROM earnings WHERE visitor = ?1 AND test_id = ?2 AND currency = ?3");
        _earn = new(connection, "INSERT INTO earnings VALUES (?1, ?2, ?3, ?4) ON CONFLICT DO UPDATE SET earned = excluded.earned");
        _tally = new(connection,
            """
            INSERT INTO money_tallies VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8) ON CONFLICT DO UPDATE SET buyers = buyers + excluded.buyers,
              orders = orders + excluded.orders, earned = earned + excluded.earned, squares = squares + excluded.squares
            """);
        _funnels = new(connection, "SELECT funnel_id, source_id FROM visitors WHERE visitor = ?1");
        _source = new(connection, "INSERT INTO source_money VALUES (?1, ?2, ?3, ?4, ?5) ON CONFLICT DO UPDATE SET orders = orders + excluded.orders, earned = earned + excluded.earned");
        _lead = new(connection, "SELECT visitor FROM leads WHERE email = ?1 COLLATE NOCASE ORDER BY at DESC LIMIT 1");
        _claim = new(connection, "SELECT currency FROM orders WHERE order_id = ?1 AND visitor IS NULL");
    }

    /// <summary>The tests whose counts a batch changed.</summary>
    public HashSet<TestId> Touched { get; } = [];

    public void Clear()
    {
        _tallies.Clear();
        _sources.Clear();
        Touched.Clear();
    }

    /// <summary>A sale, or money back. Every telling of it after the first is no event any more.</summary>
    /// <returns>What was credited; null where that is nothing yet.</returns>
    public CreditedSale? Note(SaleNotice notice, Guid? visitor, long? page, long at, FunnelMap map)
    {
        var before = Find(notice.Order, notice.Currency);
        var balance = new OrderBalance(before?.Sold ?? 0, before?.Refunded ?? 0);
        var after = balance.With(notice.Kind, notice.Amount);
        var isSale = notice.Kind == SaleKind.Sale;
        // A refund knows little; what its sale says of the order counts.
        var isFirstSale = isSale && balance.Sold == 0;
        var known = isFirstSale || before is null
            ? new Order(at, after.Sold, after.Refunded, notice.Product, notice.Email, page, notice.Channel.ToString(), visitor ?? before?.Visitor)
            : before with { Sold = after.Sold, Refunded = after.Refunded, Visitor = before.Visitor ?? visitor, Page = before.Page ?? page };
        if (known.Visitor is null && known.Email.Length > 0) known = known with { Visitor = OfLead(known.Email) };
        Write(notice.Order, notice.Currency, known);
        if (known.Visitor is not { } who) return null;
        // Who is found only now has been credited with nothing before.
        var credited = before?.Visitor is null ? 0 : balance.Net;
        return Credit(who, known, notice.Currency, after.Net - credited, (isFirstSale || (before is not null && before.Visitor is null && after.Sold > 0)) ? 1 : 0, map);
    }

    /// <summary>Somebody says whose an order is that nobody was credited with.</summary>
    public IReadOnlyList<CreditedSale> Assign(string order, Guid visitor, FunnelMap map)
    {
        var credited = new List<CreditedSale>();
        var currencies = new List<string>();
        _claim.Bind(1, order);
        while (_claim.Next()) currencies.Add(_claim.Text(0)!);
        foreach (var currency in currencies)
        {
            var found = Find(order, currency)! with { Visitor = visitor };
            Write(order, currency, found);
            if (Credit(visitor, found, currency, new OrderBalance(found.Sold, found.Refunded).Net, found.Sold > 0 ? 1 : 0, map) is { } credit) credited.Add(credit);
        }
        return credited;
    }

    public void Write()
    {
        foreach (var ((test, phase, page, currency), tally) in _tallies)
            _tally.Bind(1, test).Bind(2, phase).Bind(3, page).Bind(4, currency).Bind(5, tally.Buyers).Bind(6, tally.Orders).Bind(7, tally.Earned).Bind(8, tally.Squares).Run();
        foreach (var ((funnel, source, currency), (orders, earned)) in _sources) _source.Bind(1, funnel).Bind(2, source).Bind(3, currency).Bind(4, orders).Bind(5, earned).Run();
    }

    public void Dispose()
    {
        foreach (var statement in (HotStatement[])[_order, _write, _places, _earned, _earn, _tally, _funnels, _source, _lead, _claim]) statement.Dispose();
    }

    private CreditedSale? Credit(Guid visitor, Order order, string currency, long value, int orders, FunnelMap map)
    {
        if (value == 0 && orders == 0) return null;
        var at = order.At;
        // Whichever way a visitor came into a funnel, that source brought the money.
        _funnels.Bind(1, visitor);
        while (_funnels.Next())
        {
            ref var sum = ref CollectionsMarshal.GetValueRefOrAddDefault(_sources, (_funnels.Number(0), _funnels.Number(1), currency), out _);
            sum = (sum.Orders + orders, sum.Earned + value);
        }
        var places = new List<(long Test, long Phase, long Page)>();
        _places.Bind(1, visitor).Bind(2, at);
        while (_places.Next()) places.Add((_places.Number(0), _places.Number(1), _places.Number(2)));
        foreach (var (test, phase, page) in places)
        {
            if (!map.Runs(test, at)) continue;
            long? had = null;
            if (_earned.Bind(1, visitor).Bind(2, test).Bind(3, currency).Next())
            {
                had = _earned.Number(0);
                _earned.Reset();
            }
            var has = (had ?? 0) + value;
            _earn.Bind(1, visitor).Bind(2, test).Bind(3, currency).Bind(4, has).Run();
            ref var tally = ref CollectionsMarshal.GetValueRefOrAddDefault(_tallies, (test, phase, page, currency), out _);
            tally.Buyers += had is null && orders > 0 ? 1 : 0;
            tally.Orders += orders;
            tally.Earned += value;
            tally.Squares += (double)has * has - (double)(had ?? 0) * (had ?? 0);
            Touched.Add(new(test));
        }
        return new(visitor, at, order.Product, orders, value, currency, [.. places.Select(place => place.Test)]);
    }

    private Guid? OfLead(string email)
    {
        if (!_lead.Bind(1, email).Next()) return null;
        var visitor = _lead.Id(0);
        _lead.Reset();
        return visitor;
    }

    private Order? Find(string order, string currency)
    {
        if (!_order.Bind(1, order).Bind(2, currency).Next()) return null;
        var found = new Order(
            _order.Number(0), _order.Number(1), _order.Number(2), _order.Text(3)!, _order.Text(4)!, _order.IsNull(5) ? null : _order.Number(5), _order.Text(6)!, _order.IsNull(7) ? null : _order.Id(7));
        _order.Reset();
        return found;
    }

    private void Write(string order, string currency, Order known)
    {
        _write.Bind(1, order).Bind(2, currency).Bind(3, known.At).Bind(4, known.Sold).Bind(5, known.Refunded).Bind(6, known.Product).Bind(7, known.Email).Bind(8, known.Page).Bind(9, known.Channel);
        (known.Visitor is { } visitor ? _write.Bind(10, visitor) : _write.Bind(10, (long?)null)).Run();
    }

    private sealed record Order(long At, long Sold, long Refunded, string Product, string Email, long? Page, string Channel, Guid? Visitor);

    private struct Tally
    {
        public long Buyers, Orders, Earned;
        public double Squares;
    }
}
