using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;

namespace Wexil.Store.Recording.Projection;

/// <summary>Keeps how often each visitor of a test met its goals and what that was worth, and sums it up by page.</summary>
internal sealed class GoalCounts(SqliteConnection connection) : IDisposable
{
    private readonly HotStatement _met = new(connection, "SELECT times, value FROM goals_met WHERE visitor = ?1 AND goal_id = ?2");
    private readonly HotStatement _meet = new(connection, "INSERT INTO goals_met VALUES (?1, ?2, ?3, ?4) ON CONFLICT DO UPDATE SET times = excluded.times, value = excluded.value");
    private readonly HotStatement _tally = new(connection,
        """
        INSERT INTO goal_tallies VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7) ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors,
          times = times + excluded.times, value = value + excluded.value, squares = squares + excluded.squares
        """);

    private readonly Dictionary<(long Goal, long Phase, long Page), Tally> _tallies = [];

    public void Clear() => _tallies.Clear();

    /// <summary>A visitor met a goal, or what came with an earlier meeting was changed. False where that changes nothing.</summary>
    /// <param name="times">1, or 0 for money back.</param>
    /// <param name="comes">The value that came with it, in minor units.</param>
    public bool Meet(TestGoal goal, Place place, Guid visitor, long at, int times, long comes)
    {
        if (place.CountedPage is not { } page || !goal.CountsAt(at) || !goal.Goal.IsWithin(TimeSpan.FromMilliseconds(at - place.At))) return false;
        var (had, hadValue) = (0L, 0L);
        if (_met.Bind(1, visitor).Bind(2, goal.Id).Next())
        {
            (had, hadValue) = (_met.Number(0), _met.Number(1));
            _met.Reset();
        }
        var isMore = had > 0 && times > 0 && !goal.Goal.EveryTime;
        if (isMore || (times == 0 && (had == 0 || !goal.Goal.ValueComes))) return false;
        var value = hadValue + (goal.Goal.ValueComes ? comes : goal.Goal.Value * times);
        _meet.Bind(1, visitor).Bind(2, goal.Id).Bind(3, had + times).Bind(4, value).Run();
        ref var tally = ref CollectionsMarshal.GetValueRefOrAddDefault(_tallies, (goal.Id, place.Phase, page), out _);
        tally.Visitors += had == 0 ? 1 : 0;
        tally.Times += times;
        tally.Value += value - hadValue;
        tally.Squares += (double)value * value - (double)hadValue * hadValue;
        return true;
    }

    public void Write()
    {
        foreach (var ((goal, phase, page), tally) in _tallies)
            _tally.Bind(1, goal).Bind(2, phase).Bind(3, page).Bind(4, tally.Visitors).Bind(5, tally.Times).Bind(6, tally.Value).Bind(7, tally.Squares).Run();
    }

    public void Dispose()
    {
        foreach (var statement in (HotStatement[])[_met, _meet, _tally]) statement.Dispose();
    }

    private struct Tally
    {
        public long Visitors, Times, Value;
        public double Squares;
    }
}
