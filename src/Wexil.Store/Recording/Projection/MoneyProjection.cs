using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Visitors;

namespace Wexil.Store.Recording.Projection;

/// <summary>Money of an order that moves into, or out of, what is counted.</summary>
/// <param name="At">When the order was placed.</param>
/// <param name="Amount">In the smallest unit of <paramref name="Currency"/>, negative for money back.</param>
/// <param name="Orders">1 for a new order, 0 for more of it or money back, -1 for one that is taken out.</param>
/// <param name="IsOwn">The currency is the owner's.</param>
internal readonly record struct MoneyMove(Guid Visitor, long At, string Currency, long Amount, int Orders, bool IsOwn);

/// <summary>
/// Keeps what each visitor of a test brought it, and sums that up by page; in the owner's currency also by time, by who
/// came, by pairs of pages, and by source.
/// </summary>
internal sealed class MoneyProjection : IDisposable
{
    private const string EarnedSql =
        "SELECT earned, orders FROM earnings WHERE visitor = ?1 AND test_id = ?2 AND currency = ?3";

    private const string EarnSql = """
        INSERT INTO earnings (visitor, test_id, currency, earned, orders, page_id) VALUES (?1, ?2, ?3, ?4, ?5, ?6)
        ON CONFLICT DO UPDATE SET earned = excluded.earned, orders = excluded.orders
        """;

    private const string TallySql = """
        INSERT INTO money_tallies VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8) ON CONFLICT DO UPDATE
          SET buyers = buyers + excluded.buyers,
          orders = orders + excluded.orders, earned = earned + excluded.earned, squares = squares + excluded.squares
        """;

    private const string BucketSql = """
        UPDATE page_buckets SET earned = earned + ?4, squares = squares + ?5
        WHERE test_id = ?1 AND page_id = ?2 AND bucket = ?3
        """;

    private const string SegmentSql = """
        UPDATE segment_tallies SET earned = earned + ?6, squares = squares + ?7
        WHERE test_id = ?1 AND kind = ?2 AND value = ?3 AND phase_id = ?4 AND page_id = ?5
        """;

    private const string PairSql = """
        UPDATE pair_tallies SET earned = earned + ?5
        WHERE test_id = ?1 AND other_test_id = ?2 AND page_id = ?3 AND other_page_id = ?4
        """;

    private const string SourceSql = """
        INSERT INTO source_money VALUES (?1, ?2, ?3, ?4, ?5)
        ON CONFLICT DO UPDATE SET orders = orders + excluded.orders, earned = earned + excluded.earned
        """;

    private const string ForgetSql = "DELETE FROM earnings WHERE visitor = ?1 AND test_id = ?2 AND currency = ?3";

    private readonly VisitorRows _rows;
    private readonly PreparedStatement _earned,
        _earn,
        _forget,
        _tally,
        _bucket,
        _segment,
        _pair,
        _source;
    private readonly Dictionary<(long Test, long Phase, long Page, string Currency), Tally> _tallies = [];
    private readonly Dictionary<(long Test, long Page, long Bucket), (long Earned, double Squares)> _buckets = [];
    private readonly Dictionary<
        (long Test, long Phase, long Page, int Kind, long Value),
        (long Earned, double Squares)
    > _segments = [];
    private readonly Dictionary<(long Test, long Other, long Page, long OtherPage), long> _pairs = [];
    private readonly List<(MoneyMove Move, List<Place> Places)> _coming = [];
    private readonly Dictionary<(long Funnel, long Source, string Currency), (long Orders, long Earned)> _sources = [];

    public MoneyProjection(SqliteConnection connection, VisitorRows rows)
    {
        _rows = rows;
        _earned = new(connection, EarnedSql);
        _earn = new(connection, EarnSql);
        _forget = new(connection, ForgetSql);
        _tally = new(connection, TallySql);
        _bucket = new(connection, BucketSql);
        _segment = new(connection, SegmentSql);
        _pair = new(connection, PairSql);
        _source = new(connection, SourceSql);
    }

    /// <summary>The tests whose counts a batch changed.</summary>
    public HashSet<TestId> Touched { get; } = [];

    public void Clear()
    {
        _tallies.Clear();
        _buckets.Clear();
        _segments.Clear();
        _pairs.Clear();
        _sources.Clear();
        Touched.Clear();
    }

    /// <summary>Credits money to the places of its visitor in tests, and to the source.</summary>
    /// <returns>The places that it is credited to.</returns>
    public IReadOnlyList<Place> Credit(MoneyMove move, ProjectionContext map)
    {
        var places = Places(move.Visitor, move.At, null, map);
        Credit(move, places, map);
        return places;
    }

    /// <summary>
    /// Counts money of a visitor's order as something else than before, from <see cref="Settle"/> on.
    /// </summary>
    public IReadOnlyList<long> Change(MoneyMove from, MoneyMove to, ProjectionContext map)
    {
        var places = Places(from.Visitor, from.At, from.Currency, map);
        Credit(from, places, map);
        // What is the owner's money and what is not must not meet in one row, so all goes out before any comes in.
        _coming.Add((to, places));
        return [.. places.Select(place => place.Test)];
    }

    public void Settle(ProjectionContext map)
    {
        foreach (var (move, places) in _coming)
            Credit(move, places, map);
        _coming.Clear();
    }

    /// <summary>
    /// Writes the batch. Rows by time, segment and pair are there already: their visitors were counted when they came.
    /// </summary>
    public void Write()
    {
        foreach (var ((test, phase, page, currency), tally) in _tallies)
            _tally
                .Bind(1, test)
                .Bind(2, phase)
                .Bind(3, page)
                .Bind(4, currency)
                .Bind(5, tally.Buyers)
                .Bind(6, tally.Orders)
                .Bind(7, tally.Earned)
                .Bind(8, tally.Squares)
                .Run();
        foreach (var ((test, page, bucket), (earned, squares)) in _buckets)
            _bucket.Bind(1, test).Bind(2, page).Bind(3, bucket).Bind(4, earned).Bind(5, squares).Run();
        foreach (var ((test, phase, page, kind, value), (earned, squares)) in _segments)
            _segment
                .Bind(1, test)
                .Bind(2, kind)
                .Bind(3, value)
                .Bind(4, phase)
                .Bind(5, page)
                .Bind(6, earned)
                .Bind(7, squares)
                .Run();
        foreach (var ((test, other, page, otherPage), earned) in _pairs)
            _pair.Bind(1, test).Bind(2, other).Bind(3, page).Bind(4, otherPage).Bind(5, earned).Run();
        foreach (var ((funnel, source, currency), (orders, earned)) in _sources)
            _source.Bind(1, funnel).Bind(2, source).Bind(3, currency).Bind(4, orders).Bind(5, earned).Run();
    }

    public void Dispose()
    {
        foreach (
            var statement in (PreparedStatement[])[_earned, _earn, _forget, _tally, _bucket, _segment, _pair, _source]
        )
            statement.Dispose();
    }

    /// <param name="countedIn">The currency that the same order was counted in before; null where it was not
    /// counted.</param>
    private List<Place> Places(Guid visitor, long at, string? countedIn, ProjectionContext map) =>
        _rows
            .Of(visitor)
            .Places.FindAll(place =>
                place.At <= at
                && place.DrawnIn is not null
                // A place that was closed since keeps what it was credited with, in whichever currency that is counted
                // later.
                && (!place.IsClosed || (countedIn is not null && HasEarned(visitor, place.Test, countedIn)))
                && map.Runs(place.Test, at)
            );

    private void Credit(MoneyMove move, List<Place> places, ProjectionContext map)
    {
        // Whichever way a visitor came into a funnel, that source brought the money.
        foreach (var visit in _rows.Of(move.Visitor).Funnels)
        {
            ref var sum = ref CollectionsMarshal.GetValueRefOrAddDefault(
                _sources,
                (visit.Funnel, visit.Source, move.Currency),
                out _
            );
            sum = (sum.Orders + move.Orders, sum.Earned + move.Amount);
        }
        foreach (var place in places)
            Credit(move, place);
        if (!move.IsOwn)
            return;
        foreach (var place in places)
        {
            foreach (var partner in map.Partners(place.Test))
                if (partner.IsEarlier && places.Find(other => other.Test == partner.Test) is { } other)
                    CollectionsMarshal.GetValueRefOrAddDefault(
                        _pairs,
                        (other.Test, place.Test, other.Page, place.Page),
                        out _
                    ) += move.Amount;
        }
    }

    private void Credit(MoneyMove move, Place place)
    {
        var (had, hadOrders) = Earned(move, place.Test);
        var (has, hasOrders) = (had + move.Amount, hadOrders + move.Orders);
        Keep(move, place, has, hasOrders);
        var squares = (double)has * has - (double)had * had;
        ref var tally = ref CollectionsMarshal.GetValueRefOrAddDefault(
            _tallies,
            (place.Test, place.Phase, place.Page, move.Currency),
            out _
        );
        tally.Buyers += (hasOrders > 0 ? 1 : 0) - (hadOrders > 0 ? 1 : 0);
        tally.Orders += move.Orders;
        tally.Earned += move.Amount;
        tally.Squares += squares;
        Touched.Add(new(place.Test));
        if (move.IsOwn)
            CountOwn(move, place, squares);
    }

    /// <summary>In the owner's currency it is counted by time and by who came, too.</summary>
    private void CountOwn(MoneyMove move, Place place, double squares)
    {
        Add(
            ref CollectionsMarshal.GetValueRefOrAddDefault(
                _buckets,
                (place.Test, place.Page, TimeBucket.StartOf(place.At)),
                out _
            )
        );
        for (var i = 0; i < place.Traits.Rows; i++)
        {
            var (kind, value) = place.Traits.Row(i);
            Add(
                ref CollectionsMarshal.GetValueRefOrAddDefault(
                    _segments,
                    (place.Test, place.Phase, place.Page, kind, value),
                    out _
                )
            );
        }

        void Add(ref (long Earned, double Squares) sum) => sum = (sum.Earned + move.Amount, sum.Squares + squares);
    }

    private (long Earned, long Orders) Earned(MoneyMove move, long test)
    {
        if (!_earned.Bind(1, move.Visitor).Bind(2, test).Bind(3, move.Currency).Next())
            return (0, 0);
        var earned = (_earned.Number(0), _earned.Number(1));
        _earned.Reset();
        return earned;
    }

    private bool HasEarned(Guid visitor, long test, string currency)
    {
        if (!_earned.Bind(1, visitor).Bind(2, test).Bind(3, currency).Next())
            return false;
        _earned.Reset();
        return true;
    }

    private void Keep(MoneyMove move, Place place, long earned, long orders)
    {
        if (earned == 0 && orders == 0)
            _forget.Bind(1, move.Visitor).Bind(2, place.Test).Bind(3, move.Currency).Run();
        else
            _earn
                .Bind(1, move.Visitor)
                .Bind(2, place.Test)
                .Bind(3, move.Currency)
                .Bind(4, earned)
                .Bind(5, orders)
                .Bind(6, place.Page)
                .Run();
    }

    private struct Tally
    {
        public long Buyers,
            Orders,
            Earned;
        public double Squares;
    }
}
