using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Visitors;

namespace Wexil.Store.Recording.Projection;

/// <summary>
/// Keeps each visitor's place in a test, and sums up by page who counts, who is apart, and who was in two tests.
/// </summary>
internal sealed class TestProjection : IDisposable
{
    private const string AddBoth =
        "ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors, conversions = conversions + "
        + "excluded.conversions";

    private const string PageBucketSql = $"""
        INSERT INTO page_buckets (test_id, page_id, bucket, visitors, conversions)
        VALUES (?1, ?2, ?3, ?4, ?5) {AddBoth}
        """;

    // Nearly always the row is there, and an update finds it at once.
    private const string SegmentSql = """
        UPDATE segment_tallies SET visitors = visitors + ?6, conversions = conversions + ?7
        WHERE test_id = ?1 AND kind = ?2 AND value = ?3 AND phase_id = ?4 AND page_id = ?5
        """;

    private const string NewSegmentSql = """
        INSERT INTO segment_tallies (test_id, kind, value, phase_id, page_id, visitors, conversions)
        VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)
        """;

    private const string PathSql = """
        INSERT INTO path_tallies VALUES (?1, ?2, ?3, ?4)
        ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors
        """;

    private const string PairSql = $"""
        INSERT INTO pair_tallies (test_id, other_test_id, page_id, other_page_id, visitors, conversions)
        VALUES (?1, ?2, ?3, ?4, ?5, ?6) {AddBoth}
        """;

    private const string SilenceSql = """
        INSERT INTO test_silences VALUES (?1, ?2, ?3) ON CONFLICT DO UPDATE SET
          visitors_since = CASE WHEN excluded.last_conversion_at IS NULL THEN visitors_since
            ELSE 0 END + excluded.visitors_since,
          last_conversion_at = coalesce(excluded.last_conversion_at, last_conversion_at)
        """;

    private const string TallySql = $"INSERT INTO test_tallies VALUES (?1, ?2, ?3, ?4, ?5) {AddBoth}";

    private const string BucketSql = $"INSERT INTO test_buckets VALUES (?1, ?2, ?3, ?4) {AddBoth}";

    private const string DaySql = """
        INSERT INTO test_days VALUES (?1, ?2, ?3)
        ON CONFLICT DO UPDATE SET conversions = conversions + excluded.conversions
        """;

    private const string ApartSql = $"INSERT INTO apart_tallies VALUES (?1, ?2, ?3, ?4, ?5) {AddBoth}";

    private readonly VisitorRows _rows;
    private readonly PreparedStatement _tally,
        _bucket,
        _day,
        _pageBucket,
        _apart,
        _pair,
        _silence,
        _path,
        _segment,
        _newSegment;
    private readonly Dictionary<(long Test, long Phase, long Page), (long Visitors, long Conversions)> _tallies = [];
    private readonly Dictionary<(long Test, long Bucket), (long Visitors, long Conversions)> _buckets = [];
    private readonly Dictionary<(long Test, long Page, long Bucket), (long Visitors, long Conversions)> _pageBuckets =
    [];
    private readonly Dictionary<
        (long Test, long Phase, long Page, int Kind, long Value),
        (long Visitors, long Conversions)
    > _segments = [];
    private readonly Dictionary<(long Test, long Page, long Step), long> _paths = [];
    private readonly Dictionary<
        (long Test, long Page, ExclusionReason Reason),
        (long Visitors, long Conversions)
    > _aparts = [];
    private readonly Dictionary<
        (long Test, long Other, long Page, long OtherPage),
        (long Visitors, long Conversions)
    > _pairs = [];
    private readonly Dictionary<long, (long? Last, long Since)> _silences = [];

    public TestProjection(SqliteConnection connection, VisitorRows rows)
    {
        _rows = rows;
        _tally = new(connection, TallySql);
        _bucket = new(connection, BucketSql);
        _day = new(connection, DaySql);
        _pageBucket = new(connection, PageBucketSql);
        _segment = new(connection, SegmentSql);
        _newSegment = new(connection, NewSegmentSql);
        _path = new(connection, PathSql);
        _apart = new(connection, ApartSql);
        _pair = new(connection, PairSql);
        _silence = new(connection, SilenceSql);
    }

    /// <summary>The tests whose counts a batch changed, and the places it settled.</summary>
    public HashSet<TestId> Touched { get; } = [];

    public List<(VisitorId Visitor, TestId Test)> Places { get; private set; } = [];

    public void Clear()
    {
        _tallies.Clear();
        _buckets.Clear();
        _pageBuckets.Clear();
        _segments.Clear();
        _paths.Clear();
        _aparts.Clear();
        _pairs.Clear();
        _silences.Clear();
        Touched.Clear();
        Places = [];
    }

    /// <summary>A visitor was drawn. False when the visitor had a place already.</summary>
    public bool Enrol(TestId test, PhaseId phase, PageId page, Guid visitor, long at, VisitorTraits traits)
    {
        Places.Add((new(visitor), test));
        if (Find(test.Value, visitor) is not null)
            return false;
        _rows.Of(visitor).Places.Add(new(test.Value, page.Value, phase.Value, at, apart: null, traits, isNew: true));
        Touched.Add(test);
        CollectionsMarshal.GetValueRefOrAddDefault(_tallies, (test.Value, phase.Value, page.Value), out _).Visitors++;
        CollectionsMarshal
            .GetValueRefOrAddDefault(_pageBuckets, (test.Value, page.Value, TimeBucket.StartOf(at)), out _)
            .Visitors++;
        Segmented(test.Value, phase.Value, page.Value, traits, visitors: 1);
        CollectionsMarshal.GetValueRefOrAddDefault(_silences, test.Value, out _).Since++;
        return true;
    }

    /// <summary>
    /// A visitor saw a page without being drawn: someone new never counts in the test, someone enrolled elsewhere no
    /// longer does.
    /// </summary>
    /// <returns>False where the visitor had a place in the test before.</returns>
    public bool SetApart(TestId test, PageId page, ExclusionReason reason, Guid visitor, long at)
    {
        Places.Add((new(visitor), test));
        if (Find(test.Value, visitor) is { } known)
        {
            if (known.Page != page.Value)
                known.Close();
            return false;
        }
        var apart = new Place(test.Value, page.Value, null, at, reason, default, isNew: true);
        apart.Close();
        _rows.Of(visitor).Places.Add(apart);
        Touched.Add(test);
        CollectionsMarshal.GetValueRefOrAddDefault(_aparts, (test.Value, page.Value, reason), out _).Visitors++;
        return true;
    }

    /// <summary>A visitor reached the goal of a test.</summary>
    /// <returns>False where that changes nothing.</returns>
    public bool Credit(GoalTest goal, Place place, ReadOnlySpan<Partner> partners, Guid visitor, long at)
    {
        if (place.At > at || place.HasConverted)
            return false;
        if (place.CountedPage is { } page)
        {
            Touched.Add(new(goal.Test));
            CollectionsMarshal.GetValueRefOrAddDefault(_tallies, (goal.Test, place.Phase, page), out _).Conversions++;
            CollectionsMarshal
                .GetValueRefOrAddDefault(_buckets, (goal.Test, TimeBucket.StartOf(at)), out _)
                .Conversions++;
            // By the time of the visitor's coming, so that the conversions of a stretch are of its visitors.
            CollectionsMarshal
                .GetValueRefOrAddDefault(_pageBuckets, (goal.Test, page, TimeBucket.StartOf(place.At)), out _)
                .Conversions++;
            if (place.Traits.IsKnown)
                Segmented(goal.Test, place.Phase, page, place.Traits, conversions: 1);
            _silences[goal.Test] = (at, 0);
            // Of two steps the later one's conversion tells how a pair of pages did.
            foreach (var partner in partners)
                if (partner.IsEarlier && Find(partner.Test, visitor)?.CountedPage is { } other)
                    Paired(partner.Test, goal.Test, other, page, conversions: 1);
        }
        else if (place.Apart is { } reason)
        {
            Touched.Add(new(goal.Test));
            CollectionsMarshal.GetValueRefOrAddDefault(_aparts, (goal.Test, place.Page, reason), out _).Conversions++;
        }
        else
            return false;
        place.Convert(at);
        return true;
    }

    /// <summary>What visitors who see both versions of two sections did.</summary>
    public void Pair((SectionPlace First, SectionPlace Second) places, long visitors, long conversions) =>
        Paired(places.First.Test, places.Second.Test, places.First.Page, places.Second.Page, visitors, conversions);

    /// <summary>A visitor of a test came to a later step.</summary>
    public void Walk(GoalTest test, Place place, long step, long bit, long at)
    {
        if (place.CountedPage is not { } page || place.At > at || (place.Path & bit) != 0)
            return;
        Touched.Add(new(test.Test));
        place.Walk(bit);
        CollectionsMarshal.GetValueRefOrAddDefault(_paths, (test.Test, page, step), out _)++;
    }

    /// <summary>A visitor of one test who is in another of the same funnel counts for the pair of pages.</summary>
    public void Cross(TestId test, PageId page, ReadOnlySpan<Partner> partners, Guid visitor)
    {
        foreach (var partner in partners)
        {
            if (Find(partner.Test, visitor) is not { CountedPage: { } other } place)
                continue;
            if (partner.IsEarlier)
                Paired(partner.Test, test.Value, other, page.Value, visitors: 1);
            else
                Paired(
                    test.Value,
                    partner.Test,
                    page.Value,
                    other,
                    visitors: 1,
                    conversions: place.HasConverted ? 1 : 0
                );
        }
    }

    /// <param name="check">Asked again and again; what it throws ends the batch.</param>
    public void Write(Action check)
    {
        check();
        foreach (var ((test, phase, page), (visitors, conversions)) in _tallies)
            _tally.Bind(1, test).Bind(2, phase).Bind(3, page).Bind(4, visitors).Bind(5, conversions).Run();
        foreach (var ((test, bucket), (visitors, conversions)) in _buckets)
        {
            _bucket.Bind(1, test).Bind(2, bucket).Bind(3, visitors).Bind(4, conversions).Run();
            _day.Bind(1, test).Bind(2, TimeBucket.DayOf(bucket)).Bind(3, conversions).Run();
        }
        foreach (var ((test, page, bucket), (visitors, conversions)) in _pageBuckets)
            _pageBucket.Bind(1, test).Bind(2, page).Bind(3, bucket).Bind(4, visitors).Bind(5, conversions).Run();
        WriteSegments(check);
        foreach (var ((test, page, step), visitors) in _paths)
            _path.Bind(1, test).Bind(2, page).Bind(3, step).Bind(4, visitors).Run();
        foreach (var ((test, page, reason), (visitors, conversions)) in _aparts)
            _apart.Bind(1, test).Bind(2, page).Bind(3, (long)reason).Bind(4, visitors).Bind(5, conversions).Run();
        foreach (var ((test, other, page, otherPage), (visitors, conversions)) in _pairs)
            _pair
                .Bind(1, test)
                .Bind(2, other)
                .Bind(3, page)
                .Bind(4, otherPage)
                .Bind(5, visitors)
                .Bind(6, conversions)
                .Run();
        foreach (var (test, (last, since)) in _silences)
            _silence.Bind(1, test).Bind(2, last).Bind(3, since).Run();
    }

    /// <summary>
    /// The most rows by far: in the order of the table, so that each of its pages is taken up once.
    /// </summary>
    private void WriteSegments(Action check)
    {
        var inOrder = _segments.OrderBy(row =>
            (row.Key.Test, row.Key.Kind, row.Key.Value, row.Key.Phase, row.Key.Page)
        );
        foreach (var ((test, phase, page, kind, value), (visitors, conversions)) in inOrder)
        {
            check();
            int Run(PreparedStatement statement) =>
                statement
                    .Bind(1, test)
                    .Bind(2, kind)
                    .Bind(3, value)
                    .Bind(4, phase)
                    .Bind(5, page)
                    .Bind(6, visitors)
                    .Bind(7, conversions)
                    .Run();
            if (Run(_segment) == 0)
                Run(_newSegment);
        }
    }

    public void Dispose()
    {
        foreach (
            var statement in (PreparedStatement[])
                [_tally, _bucket, _day, _pageBucket, _apart, _pair, _silence, _path, _segment, _newSegment]
        )
            statement.Dispose();
    }

    /// <summary>The place of a visitor in a test; null for none.</summary>
    public Place? Find(long test, Guid visitor) => _rows.Of(visitor).PlaceIn(test);

    private void Segmented(
        long test,
        long phase,
        long page,
        VisitorTraits traits,
        long visitors = 0,
        long conversions = 0
    )
    {
        for (var i = 0; i < traits.Rows; i++)
        {
            var (kind, value) = traits.Row(i);
            ref var sum = ref CollectionsMarshal.GetValueRefOrAddDefault(
                _segments,
                (test, phase, page, kind, value),
                out _
            );
            sum = (sum.Visitors + visitors, sum.Conversions + conversions);
        }
    }

    private void Paired(long test, long other, long page, long otherPage, long visitors = 0, long conversions = 0)
    {
        ref var pair = ref CollectionsMarshal.GetValueRefOrAddDefault(_pairs, (test, other, page, otherPage), out _);
        pair = (pair.Visitors + visitors, pair.Conversions + conversions);
    }
}
