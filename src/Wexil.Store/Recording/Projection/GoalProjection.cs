using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;

namespace Wexil.Store.Recording.Projection;

/// <summary>That a visitor met a goal, or that what came with it changed.</summary>
/// <param name="Times">1, or 0 where something came on top, or money went back.</param>
/// <param name="Comes">The value that came with it, in minor units.</param>
/// <param name="Cause">The same for all that belongs to one meeting: the order's number; empty where nothing can
/// follow.</param>
internal readonly record struct Meeting(Guid Visitor, long At, int Times = 1, long Comes = 0, string Cause = "");

/// <summary>
/// Keeps how often each visitor of a test met its goals and what that was worth, and sums it up by page.
/// </summary>
internal sealed class GoalProjection(SqliteConnection connection) : IDisposable
{
    private readonly PreparedStatement _met = new(
        connection,
        "SELECT times, value, cause, at FROM goals_met WHERE visitor = ?1 AND goal_id = ?2"
    );
    private readonly PreparedStatement _meet = new(
        connection,
        """
        INSERT INTO goals_met VALUES (?1, ?2, ?3, ?4, ?5, ?6)
        ON CONFLICT DO UPDATE
        SET times = excluded.times, value = excluded.value, cause = excluded.cause, at = excluded.at
        """
    );
    private readonly PreparedStatement _tally = new(
        connection,
        """
        INSERT INTO goal_tallies VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7) ON CONFLICT DO UPDATE
          SET visitors = visitors + excluded.visitors,
          times = times + excluded.times, value = value + excluded.value, squares = squares + excluded.squares
        """
    );

    private readonly Dictionary<(long Goal, long Phase, long Page), Tally> _tallies = [];

    public void Clear() => _tallies.Clear();

    /// <summary>
    /// A visitor met a goal, or what came with an earlier meeting was changed. False where that changes nothing.
    /// </summary>
    public bool Meet(TestGoal goal, Place place, Meeting met)
    {
        if (
            place.CountedPage is not { } page
            || !goal.Counts(place, met.At)
            || !goal.Goal.IsWithin(TimeSpan.FromMilliseconds(met.At - place.At))
        )
            return false;
        var (times, value, cause, at) = Known(goal, met.Visitor);
        if (met.Times == 0 && (times == 0 || !goal.Goal.ValueComes))
            return false;
        var (hasTimes, hasValue) = (
            times + met.Times,
            value + (goal.Goal.ValueComes ? met.Comes : goal.Goal.Value * met.Times)
        );
        if (times > 0 && !goal.Goal.EveryTime && cause != met.Cause)
        {
            // It counts once, and of two the earlier one, whichever was told first.
            if (met.Times == 0 || !goal.Goal.ValueComes || (at, cause).CompareTo((met.At, met.Cause)) < 0)
                return false;
            (hasTimes, hasValue) = (times, met.Comes);
        }
        else if (times > 0 && met.Times > 0 && !goal.Goal.EveryTime)
            return false;
        // What came before this was kept has no cause.
        (cause, at) = times > 0 && met.Times == 0 ? (cause, at) : (met.Cause, met.At);
        _meet
            .Bind(1, met.Visitor)
            .Bind(2, goal.Id)
            .Bind(3, hasTimes)
            .Bind(4, hasValue)
            .Bind(5, goal.Goal.EveryTime ? "" : cause)
            .Bind(6, goal.Goal.EveryTime ? 0 : at)
            .Run();
        Count((goal.Id, place.Phase, page), (times, value), (hasTimes, hasValue));
        return true;
    }

    private (long Times, long Value, string Cause, long At) Known(TestGoal goal, Guid visitor)
    {
        if (!_met.Bind(1, visitor).Bind(2, goal.Id).Next())
            return (0, 0, "", 0);
        var known = (_met.Number(0), _met.Number(1), _met.Text(2)!, _met.Number(3));
        _met.Reset();
        return known;
    }

    private void Count(
        (long Goal, long Phase, long Page) place,
        (long Times, long Value) had,
        (long Times, long Value) has
    )
    {
        ref var tally = ref CollectionsMarshal.GetValueRefOrAddDefault(_tallies, place, out _);
        tally.Visitors += had.Times == 0 ? 1 : 0;
        tally.Times += has.Times - had.Times;
        tally.Value += has.Value - had.Value;
        tally.Squares += (double)has.Value * has.Value - (double)had.Value * had.Value;
    }

    public void Write()
    {
        foreach (var ((goal, phase, page), tally) in _tallies)
            _tally
                .Bind(1, goal)
                .Bind(2, phase)
                .Bind(3, page)
                .Bind(4, tally.Visitors)
                .Bind(5, tally.Times)
                .Bind(6, tally.Value)
                .Bind(7, tally.Squares)
                .Run();
    }

    public void Dispose()
    {
        foreach (var statement in (PreparedStatement[])[_met, _meet, _tally])
            statement.Dispose();
    }

    private struct Tally
    {
        public long Visitors,
            Times,
            Value;
        public double Squares;
    }
}
