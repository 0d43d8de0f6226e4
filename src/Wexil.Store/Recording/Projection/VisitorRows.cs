using Microsoft.Data.Sqlite;
using Wexil.Core.Visitors;

namespace Wexil.Store.Recording.Projection;

/// <summary>A visitor's place in a test.</summary>
/// <param name="phase">Null where the visitor was not drawn.</param>
/// <param name="isNew">It is not in the file yet.</param>
internal sealed class Place(
    long test,
    long page,
    long? phase,
    long at,
    ExclusionReason? apart,
    VisitorTraits traits,
    bool isNew
)
{
    public long Test => test;
    public long Page => page;
    public long Phase => phase ?? 0;
    public long? DrawnIn => phase;
    public long At => at;
    public ExclusionReason? Apart => apart;
    public VisitorTraits Traits => traits;
    public bool IsNew { get; } = isNew;

    public long? ConvertedAt { get; private set; }

    /// <summary>The visitor saw another page since, without being drawn for it.</summary>
    public bool IsClosed { get; private set; }

    /// <summary>The later steps reached since, a bit each.</summary>
    public long Path { get; private set; }

    /// <summary>Something of it is not in the file yet.</summary>
    public bool IsChanged { get; private set; } = isNew;

    public bool HasConverted => ConvertedAt is not null;

    /// <summary>The page that the visitor counts for; null where for none.</summary>
    public long? CountedPage => phase is not null && !IsClosed ? page : null;

    public void Convert(long then) => (ConvertedAt, IsChanged) = (then, true);

    public void Close() => (IsClosed, IsChanged) = (true, true);

    public void Walk(long bit) => (Path, IsChanged) = (Path | bit, true);

    /// <summary>As it is in the file.</summary>
    public Place Known(long? convertedAt, bool isClosed, long path)
    {
        (ConvertedAt, IsClosed, Path) = (convertedAt, isClosed, path);
        return this;
    }
}

/// <summary>A visitor in a funnel: who sent them, and which steps they have reached, a bit each.</summary>
/// <param name="lastAt">When they were last at one of its steps, in milliseconds.</param>
/// <param name="isNew">It is not in the file yet.</param>
internal sealed class FunnelVisit(long funnel, long source, long steps, long lastAt, bool isNew)
{
    public long Funnel => funnel;
    public long Source { get; private set; } = source;
    public long Steps { get; private set; } = steps;
    public long LastAt { get; private set; } = lastAt;
    public bool IsNew { get; } = isNew;
    public bool IsChanged { get; private set; } = isNew;

    public void Change(long source, long steps) => (Source, Steps, IsChanged) = (source, steps, true);

    public void Return(long at)
    {
        if (at > LastAt)
            (LastAt, IsChanged) = (at, true);
    }
}

/// <summary>All that is known of one visitor.</summary>
internal sealed class VisitorRow
{
    public List<FunnelVisit> Funnels { get; } = [];

    public List<Place> Places { get; } = [];

    public FunnelVisit? In(long funnel)
    {
        foreach (var visit in Funnels)
            if (visit.Funnel == funnel)
                return visit;
        return null;
    }

    /// <summary>The place in a test; null for none.</summary>
    public Place? PlaceIn(long test)
    {
        foreach (var place in Places)
            if (place.Test == test)
                return place;
        return null;
    }
}

/// <summary>
/// The visitors of a batch. What is known of one is read by two statements, however much of it is asked, and written by
/// one for each row that changed.
/// </summary>
internal sealed class VisitorRows : IDisposable
{
    private const string PlacesSql = """
        SELECT test_id, page_id, phase_id, at, apart, traits, converted_at, closed, path
        FROM enrolments
        WHERE visitor = ?1
        """;

    private const string EnrolSql = """
        INSERT INTO enrolments (visitor, test_id, page_id, phase_id, at, apart, traits, converted_at, closed, path)
        VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)
        """;

    private const string ChangePlaceSql =
        "UPDATE enrolments SET converted_at = ?3, closed = ?4, path = ?5 WHERE visitor = ?1 AND test_id = ?2";

    private readonly PreparedStatement _funnels,
        _places,
        _come,
        _change,
        _enrol,
        _changePlace;
    private readonly Dictionary<Guid, VisitorRow> _rows = [];
    private readonly SqliteConnection _connection;
    private Guid _newest;

    public VisitorRows(SqliteConnection connection)
    {
        _connection = connection;
        _funnels = new(connection, "SELECT funnel_id, source_id, steps, last_at FROM visitors WHERE visitor = ?1");
        _places = new(connection, PlacesSql);
        _come = new(
            connection,
            "INSERT INTO visitors (visitor, funnel_id, source_id, steps, last_at) VALUES (?1, ?2, ?3, ?4, ?5)"
        );
        _change = new(
            connection,
            "UPDATE visitors SET source_id = ?3, steps = ?4, last_at = ?5 WHERE visitor = ?1 AND funnel_id = ?2"
        );
        _enrol = new(connection, EnrolSql);
        _changePlace = new(connection, ChangePlaceSql);
        FindNewest();
    }

    /// <summary>
    /// Ids are in order of time: who comes after the newest visitor in the file is not in it and need not be looked
    /// for.
    /// </summary>
    public void FindNewest()
    {
        using var newest = new PreparedStatement(
            _connection,
            "SELECT max(visitor) FROM visitors UNION ALL SELECT max(visitor) FROM enrolments"
        );
        _newest = Guid.Empty;
        while (newest.Next())
            if (!newest.IsNull(0))
                Note(newest.Id(0));
    }

    private void Note(Guid visitor)
    {
        if (Compare(visitor, _newest) > 0)
            _newest = visitor;
    }

    /// <summary>By bytes, as the file has them.</summary>
    private static int Compare(Guid one, Guid other)
    {
        Span<byte> a = stackalloc byte[16],
            b = stackalloc byte[16];
        one.TryWriteBytes(a, bigEndian: true, out _);
        other.TryWriteBytes(b, bigEndian: true, out _);
        return a.SequenceCompareTo(b);
    }

    public VisitorRow Of(Guid visitor)
    {
        if (_rows.TryGetValue(visitor, out var known))
            return known;
        var row = new VisitorRow();
        if (Compare(visitor, _newest) > 0)
            return _rows[visitor] = row;
        _funnels.Bind(1, visitor);
        while (_funnels.Next())
            row.Funnels.Add(
                new(_funnels.Number(0), _funnels.Number(1), _funnels.Number(2), _funnels.Number(3), isNew: false)
            );
        _places.Bind(1, visitor);
        while (_places.Next())
            row.Places.Add(ReadPlace());
        return _rows[visitor] = row;
    }

    public void Clear() => _rows.Clear();

    /// <param name="check">Asked again and again; what it throws ends the batch.</param>
    public void Write(Action check)
    {
        foreach (var (visitor, row) in _rows)
        {
            check();
            // Too new at worst, where the batch is undone: then some are looked for in vain.
            Note(visitor);
            foreach (var visit in row.Funnels)
                if (visit.IsChanged)
                    (visit.IsNew ? _come : _change)
                        .Bind(1, visitor)
                        .Bind(2, visit.Funnel)
                        .Bind(3, visit.Source)
                        .Bind(4, visit.Steps)
                        .Bind(5, visit.LastAt)
                        .Run();
            foreach (var place in row.Places)
                if (place.IsChanged)
                    Write(visitor, place);
        }
    }

    public void Dispose()
    {
        foreach (var statement in (PreparedStatement[])[_funnels, _places, _come, _change, _enrol, _changePlace])
            statement.Dispose();
    }

    private Place ReadPlace() =>
        new Place(
            _places.Number(0),
            _places.Number(1),
            _places.NumberOrNull(2),
            _places.Number(3),
            (ExclusionReason?)_places.NumberOrNull(4),
            new(_places.Number(5)),
            isNew: false
        ).Known(_places.NumberOrNull(6), _places.Number(7) != 0, _places.Number(8));

    private void Write(Guid visitor, Place place)
    {
        if (place.IsNew)
            _enrol
                .Bind(1, visitor)
                .Bind(2, place.Test)
                .Bind(3, place.Page)
                .Bind(4, place.DrawnIn)
                .Bind(5, place.At)
                .Bind(6, (long?)place.Apart)
                .Bind(7, place.Traits.Packed)
                .Bind(8, place.ConvertedAt)
                .Bind(9, place.IsClosed ? 1L : 0)
                .Bind(10, place.Path)
                .Run();
        else
            _changePlace
                .Bind(1, visitor)
                .Bind(2, place.Test)
                .Bind(3, place.ConvertedAt)
                .Bind(4, place.IsClosed ? 1L : 0)
                .Bind(5, place.Path)
                .Run();
    }
}
