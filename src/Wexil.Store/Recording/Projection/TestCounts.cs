using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Core.Splits;

namespace Wexil.Store.Recording.Projection;

/// <summary>Keeps each visitor's place in a test, and sums up by page who counts, who is apart, and who was in two tests.</summary>
internal sealed class TestCounts : IDisposable
{
    private readonly HotStatement _enrol, _place, _convert, _close, _tally, _bucket, _apart, _pair, _silence;
    private readonly Dictionary<(long Test, long Phase, long Page), (long Visitors, long Conversions)> _tallies = [];
    private readonly Dictionary<(long Test, long Bucket), (long Visitors, long Conversions)> _buckets = [];
    private readonly Dictionary<(long Test, long Page, Apart Reason), (long Visitors, long Conversions)> _aparts = [];
    private readonly Dictionary<(long Test, long Other, long Page, long OtherPage), (long Visitors, long Conversions)> _pairs = [];
    private readonly Dictionary<long, (long? Last, long Since)> _silences = [];

    public TestCounts(SqliteConnection connection)
    {
        _enrol = new(connection, "INSERT OR IGNORE INTO enrolments (visitor, test_id, page_id, phase_id, at, closed, apart) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)");
        _place = new(connection, "SELECT page_id, phase_id, at, converted_at, closed, apart FROM enrolments WHERE visitor = ?1 AND test_id = ?2");
        _convert = new(connection, "UPDATE enrolments SET converted_at = ?3 WHERE visitor = ?1 AND test_id = ?2");
        _close = new(connection, "UPDATE enrolments SET closed = 1 WHERE visitor = ?1 AND test_id = ?2 AND page_id <> ?3");
        const string both = "ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors, conversions = conversions + excluded.conversions";
        _tally = new(connection, $"INSERT INTO test_tallies VALUES (?1, ?2, ?3, ?4, ?5) {both}");
        _bucket = new(connection, $"INSERT INTO test_buckets VALUES (?1, ?2, ?3, ?4) {both}");
        _apart = new(connection, $"INSERT INTO apart_tallies VALUES (?1, ?2, ?3, ?4, ?5) {both}");
        _pair = new(connection, $"INSERT INTO pair_tallies VALUES (?1, ?2, ?3, ?4, ?5, ?6) {both}");
        _silence = new(connection,
            """
            INSERT INTO test_silences VALUES (?1, ?2, ?3) ON CONFLICT DO UPDATE SET
              visitors_since = CASE WHEN excluded.last_conversion_at IS NULL THEN visitors_since ELSE 0 END + excluded.visitors_since,
              last_conversion_at = coalesce(excluded.last_conversion_at, last_conversion_at)
            """);
    }

    /// <summary>The tests whose counts a batch changed, and the places it settled.</summary>
    public HashSet<TestId> Touched { get; } = [];

    public List<(VisitorId Visitor, TestId Test)> Places { get; private set; } = [];

    public void Clear()
    {
        _tallies.Clear();
        _buckets.Clear();
        _aparts.Clear();
        _pairs.Clear();
        _silences.Clear();
        Touched.Clear();
        Places = [];
    }

    /// <summary>A visitor was drawn. False when the visitor had a place already.</summary>
    public bool Enrol(TestId test, PhaseId phase, PageId page, Guid visitor, long at, long bucket)
    {
        Places.Add((new(visitor), test));
        if (!Take(test, phase, page, visitor, at, closed: 0, apart: null)) return false;
        Touched.Add(test);
        CollectionsMarshal.GetValueRefOrAddDefault(_tallies, (test.Value, phase.Value, page.Value), out _).Visitors++;
        CollectionsMarshal.GetValueRefOrAddDefault(_buckets, (test.Value, bucket), out _).Visitors++;
        CollectionsMarshal.GetValueRefOrAddDefault(_silences, test.Value, out _).Since++;
        return true;
    }

    /// <summary>A visitor saw a page without being drawn: someone new never counts in the test, someone enrolled elsewhere no longer does.</summary>
    public void SetApart(TestId test, PageId page, Apart reason, Guid visitor, long at)
    {
        Places.Add((new(visitor), test));
        if (Take(test, null, page, visitor, at, closed: 1, reason))
        {
            Touched.Add(test);
            CollectionsMarshal.GetValueRefOrAddDefault(_aparts, (test.Value, page.Value, reason), out _).Visitors++;
        }
        else _close.Bind(1, visitor).Bind(2, test.Value).Bind(3, page.Value).Run();
    }

    /// <summary>A visitor reached the goal of a test.</summary>
    public void Credit(GoalTest goal, ReadOnlySpan<Partner> partners, Guid visitor, long at, long bucket)
    {
        if (Find(goal.Test, visitor) is not { } place || place.At > at || place.HasConverted) return;
        if (place.CountedPage is { } page)
        {
            Touched.Add(new(goal.Test));
            CollectionsMarshal.GetValueRefOrAddDefault(_tallies, (goal.Test, place.Phase, page), out _).Conversions++;
            CollectionsMarshal.GetValueRefOrAddDefault(_buckets, (goal.Test, bucket), out _).Conversions++;
            _silences[goal.Test] = (at, 0);
            // Of two steps the later one's conversion tells how a pair of pages did.
            foreach (var partner in partners)
                if (partner.IsEarlier && Find(partner.Test, visitor)?.CountedPage is { } other) Paired(partner.Test, goal.Test, other, page, conversions: 1);
        }
        else if (place.Apart is { } reason)
        {
            Touched.Add(new(goal.Test));
            CollectionsMarshal.GetValueRefOrAddDefault(_aparts, (goal.Test, place.Page, reason), out _).Conversions++;
        }
        else return;
        _convert.Bind(1, visitor).Bind(2, goal.Test).Bind(3, at).Run();
    }

    /// <summary>A visitor of one test who is in another of the same funnel counts for the pair of pages.</summary>
    public void Cross(TestId test, PageId page, ReadOnlySpan<Partner> partners, Guid visitor)
    {
        foreach (var partner in partners)
        {
            if (Find(partner.Test, visitor) is not { CountedPage: { } other } place) continue;
            if (partner.IsEarlier) Paired(partner.Test, test.Value, other, page.Value, visitors: 1);
            else Paired(test.Value, partner.Test, page.Value, other, visitors: 1, conversions: place.HasConverted ? 1 : 0);
        }
    }

    public void Write()
    {
        foreach (var ((test, phase, page), (visitors, conversions)) in _tallies) _tally.Bind(1, test).Bind(2, phase).Bind(3, page).Bind(4, visitors).Bind(5, conversions).Run();
        foreach (var ((test, bucket), (visitors, conversions)) in _buckets) _bucket.Bind(1, test).Bind(2, bucket).Bind(3, visitors).Bind(4, conversions).Run();
        foreach (var ((test, page, reason), (visitors, conversions)) in _aparts) _apart.Bind(1, test).Bind(2, page).Bind(3, (long)reason).Bind(4, visitors).Bind(5, conversions).Run();
        foreach (var ((test, other, page, otherPage), (visitors, conversions)) in _pairs)
            _pair.Bind(1, test).Bind(2, other).Bind(3, page).Bind(4, otherPage).Bind(5, visitors).Bind(6, conversions).Run();
        foreach (var (test, (last, since)) in _silences) _silence.Bind(1, test).Bind(2, last).Bind(3, since).Run();
    }

    public void Dispose()
    {
        foreach (var statement in (HotStatement[])[_enrol, _place, _convert, _close, _tally, _bucket, _apart, _pair, _silence]) statement.Dispose();
    }

    private bool Take(TestId test, PhaseId? phase, PageId page, Guid visitor, long at, long closed, Apart? apart) => _enrol
        .Bind(1, visitor).Bind(2, test.Value).Bind(3, page.Value).Bind(4, phase?.Value).Bind(5, at).Bind(6, closed).Bind(7, (long?)apart).Run() > 0;

    private Found? Find(long test, Guid visitor)
    {
        if (!_place.Bind(1, visitor).Bind(2, test).Next()) return null;
        var found = new Found(
            _place.Number(0), _place.Number(1), _place.Number(2), HasConverted: !_place.IsNull(3),
            IsCounted: !_place.IsNull(1) && _place.Number(4) == 0, _place.IsNull(5) ? null : (Apart)_place.Number(5));
        _place.Reset();
        return found;
    }

    private void Paired(long test, long other, long page, long otherPage, long visitors = 0, long conversions = 0)
    {
        ref var pair = ref CollectionsMarshal.GetValueRefOrAddDefault(_pairs, (test, other, page, otherPage), out _);
        pair = (pair.Visitors + visitors, pair.Conversions + conversions);
    }

    private readonly record struct Found(long Page, long Phase, long At, bool HasConverted, bool IsCounted, Apart? Apart)
    {
        public long? CountedPage => IsCounted ? Page : null;
    }
}
