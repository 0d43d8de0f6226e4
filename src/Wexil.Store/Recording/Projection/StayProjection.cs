using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;

namespace Wexil.Store.Recording.Projection;

/// <summary>
/// Keeps how long each visitor of a test stayed on the page shown, and whether anything was done there, and sums that
/// up by page.
/// </summary>
internal sealed class StayProjection(SqliteConnection connection) : IDisposable
{
    private readonly PreparedStatement _had = new(
        connection,
        "SELECT milliseconds, engaged FROM stays WHERE visitor = ?1 AND test_id = ?2"
    );
    private readonly PreparedStatement _stay = new(
        connection,
        """
        INSERT INTO stays VALUES (?1, ?2, ?3, ?4)
        ON CONFLICT DO UPDATE SET milliseconds = excluded.milliseconds, engaged = excluded.engaged
        """
    );
    private readonly PreparedStatement _tally = new(
        connection,
        """
        INSERT INTO stay_tallies VALUES (?1, ?2, ?3, ?4, ?5) ON CONFLICT DO UPDATE
          SET visitors = visitors + excluded.visitors,
          engaged = engaged + excluded.engaged, milliseconds = milliseconds + excluded.milliseconds
        """
    );

    private readonly Dictionary<(long Test, long Page), (long Visitors, long Engaged, long Milliseconds)> _tallies = [];

    public void Clear() => _tallies.Clear();

    /// <summary>Notes a stretch of a visitor's stay, the first or a further one.</summary>
    public bool Note(GoalTest test, Place place, long shown, Guid visitor, long milliseconds, bool engaged)
    {
        if (place.CountedPage is not { } page || page != shown)
            return false;
        (long Milliseconds, bool Engaged)? had = null;
        if (_had.Bind(1, visitor).Bind(2, test.Test).Next())
        {
            had = (_had.Number(0), _had.Number(1) != 0);
            _had.Reset();
        }
        var isEngaged = engaged || had is { Engaged: true };
        _stay
            .Bind(1, visitor)
            .Bind(2, test.Test)
            .Bind(3, (had?.Milliseconds ?? 0) + milliseconds)
            .Bind(4, isEngaged ? 1L : 0)
            .Run();
        ref var tally = ref CollectionsMarshal.GetValueRefOrAddDefault(_tallies, (test.Test, page), out _);
        tally = (
            tally.Visitors + (had is null ? 1 : 0),
            tally.Engaged + (isEngaged && had is not { Engaged: true } ? 1 : 0),
            tally.Milliseconds + milliseconds
        );
        return true;
    }

    public void Write()
    {
        foreach (var ((test, page), (visitors, engaged, milliseconds)) in _tallies)
            _tally.Bind(1, test).Bind(2, page).Bind(3, visitors).Bind(4, engaged).Bind(5, milliseconds).Run();
    }

    public void Dispose()
    {
        foreach (var statement in (PreparedStatement[])[_had, _stay, _tally])
            statement.Dispose();
    }
}
