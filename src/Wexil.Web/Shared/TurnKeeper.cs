using System.Collections.Concurrent;
using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Core.Splits;
using Wexil.Store;

namespace Wexil.Web.Shared;

/// <summary>
/// Counts the turns that the pages of a phase have had, where pages take turns. After a start they are counted from the places
/// recorded, so the order goes on where it stopped; a visit that was never recorded has had no turn.
/// </summary>
public sealed class TurnKeeper(TallyStore tallies)
{
    private readonly ConcurrentDictionary<PhaseId, Lazy<long[]>> _had = [];

    /// <summary>Takes the next turn, or the one that was promised.</summary>
    public int Next(RouteTest test, int? promised)
    {
        var had = Had(test);
        lock (had)
        {
            var page = promised ?? Quota.Next(test.Weights, had);
            had[page]++;
            return page;
        }
    }

    /// <summary>The turns that come next, with none taken.</summary>
    public IReadOnlyList<int> Upcoming(RouteTest test, int turns)
    {
        var had = Had(test);
        lock (had) return Quota.Upcoming(test.Weights, had, turns);
    }

    private long[] Had(RouteTest test) => _had.GetOrAdd(test.Phase!.Value, phase => new(() => Read(test, phase))).Value;

    private long[] Read(RouteTest test, PhaseId phase)
    {
        try
        {
            var turns = tallies.Turns(test.Id, phase);
            return [.. test.Pages.Select(page => turns.GetValueOrDefault(page.Id))];
        }
        catch (SqliteException)
        {
            // The store is not well: the turns begin anew rather than keep a visitor waiting.
            return new long[test.Pages.Count];
        }
    }
}
