using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;

namespace Wexil.Store.Recording.Projection;

/// <summary>
/// What a visit was to the funnel: its visitor's first, and the first at the step; and the source that is credited with
/// the visitor.
/// </summary>
/// <param name="IsNamed">The first to say who sent the visitor, who had come before.</param>
internal readonly record struct Arrival(bool ToFunnel, bool ToStep, long Source, bool IsNamed);

/// <summary>
/// Remembers which steps of a funnel each visitor has reached and who sent them, and sums that up by source.
/// </summary>
internal sealed class ArrivalProjection : IDisposable
{
    /// <summary>Tags that nobody made known are kept apart up to so many a funnel.</summary>
    private const int MaxUnknownTags = 200;

    private readonly SqliteConnection _connection;
    private readonly VisitorRows _rows;
    private readonly PreparedStatement _newSource,
        _tally;
    private readonly Dictionary<(long Funnel, long Source), Tally> _tallies = [];
    private Dictionary<(long Funnel, string Tag), long> _sources = [];
    private Dictionary<long, int> _unknownTags = [];

    public ArrivalProjection(SqliteConnection connection, VisitorRows rows)
    {
        (_connection, _rows) = (connection, rows);
        _newSource = new(
            connection,
            "INSERT INTO sources (funnel_id, tag, name, kind, declared) VALUES (?1, ?2, ?2, 'Other', 0) RETURNING id"
        );
        _tally = new(
            connection,
            """
            INSERT INTO source_tallies (funnel_id, source_id, clicks, visitors, opt_ins, sales, told_cost)
              VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7) ON CONFLICT DO UPDATE SET clicks = clicks + excluded.clicks,
              visitors = visitors + excluded.visitors, opt_ins = opt_ins + excluded.opt_ins,
                sales = sales + excluded.sales, told_cost = told_cost + excluded.told_cost
            """
        );
        LoadSources();
    }

    public void LoadSources()
    {
        _sources = _connection
            .Rows("SELECT funnel_id, tag, id FROM sources", row =>
                ((row.GetInt64(0), row.GetString(1)), row.GetInt64(2))
            )
            .ToDictionary();
        _unknownTags = _connection
            .Rows("SELECT funnel_id, count(*) FROM sources WHERE NOT declared GROUP BY funnel_id", row =>
                (row.GetInt64(0), row.GetInt32(1))
            )
            .ToDictionary();
    }

    public void Clear() => _tallies.Clear();

    /// <summary>Notes a visit and credits it to its source: the first that the visitor's links named.</summary>
    public Arrival Note(StepRole step, Guid visitor, string tag, long at)
    {
        var source = tag.Length == 0 ? 0 : SourceOf(step.Funnel, tag);
        if (source != 0)
            Sum(step.Funnel, source).Clicks++;
        var row = _rows.Of(visitor);
        if (row.In(step.Funnel) is not { } known)
        {
            row.Funnels.Add(new(step.Funnel, source, step.Bit, at, isNew: true));
            Sum(step.Funnel, source).Visitors++;
            return new(ToFunnel: true, ToStep: true, source, IsNamed: false);
        }
        known.Return(at);
        var own = known.Source;
        var first = (known.Steps & step.Bit) == 0;
        var isNamed = own == 0 && source != 0;
        if (first || isNamed)
            known.Change(isNamed ? source : own, known.Steps | step.Bit);
        if (isNamed)
        {
            // Came before by a link that named none.
            Sum(step.Funnel, 0).Visitors--;
            Sum(step.Funnel, source).Visitors++;
            own = source;
        }
        if (first && step.Outcome == FunnelOutcome.OptIn)
            Sum(step.Funnel, own).OptIns++;
        if (first && step.Outcome == FunnelOutcome.Sale)
            Sum(step.Funnel, own).Sales++;
        return new(ToFunnel: false, first, own, isNamed);
    }

    /// <summary>The source that is credited with a visitor of a funnel; 0 for none.</summary>
    public long SourceOf(StepRole step, Guid visitor) => _rows.Of(visitor).In(step.Funnel)?.Source ?? 0;

    /// <summary>A link told what its click costs, in millionths of a unit.</summary>
    public void Cost(long funnel, long source, long cost) => Sum(funnel, source).Cost += cost;

    public void Write()
    {
        foreach (var ((funnel, source), tally) in _tallies)
            _tally
                .Bind(1, funnel)
                .Bind(2, source)
                .Bind(3, tally.Clicks)
                .Bind(4, tally.Visitors)
                .Bind(5, tally.OptIns)
                .Bind(6, tally.Sales)
                .Bind(7, tally.Cost)
                .Run();
    }

    public void Dispose()
    {
        foreach (var statement in (PreparedStatement[])[_newSource, _tally])
            statement.Dispose();
    }

    /// <summary>The number of the source that a tag stands for; below 0 past the number that is kept apart.</summary>
    public long SourceOf(long funnel, string tag)
    {
        if (_sources.TryGetValue((funnel, tag), out var known))
            return known;
        ref var unknown = ref CollectionsMarshal.GetValueRefOrAddDefault(_unknownTags, funnel, out _);
        if (unknown >= MaxUnknownTags)
            return SourceStore.Rest;
        unknown++;
        _newSource.Bind(1, funnel).Bind(2, tag).Next();
        var made = _newSource.Number(0);
        _newSource.Reset();
        return _sources[(funnel, tag)] = made;
    }

    private ref Tally Sum(long funnel, long source) =>
        ref CollectionsMarshal.GetValueRefOrAddDefault(_tallies, (funnel, source), out _);

    private struct Tally
    {
        public long Clicks,
            Visitors,
            OptIns,
            Sales,
            Cost;
    }
}
