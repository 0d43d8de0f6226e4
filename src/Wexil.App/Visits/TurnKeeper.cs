using System.Collections.Concurrent;
using Microsoft.Data.Sqlite;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Store;

namespace Wexil.App.Visits;

/// <summary>
/// Counts the turns that the pages of a phase have had, where pages take turns. After a start they are counted from the
/// places recorded, so the order goes on where it stopped; a visit that was never recorded has had no turn.
/// </summary>
public sealed class TurnKeeper(TallyStore tallies, TroubleLog troubles)
{
    private readonly ConcurrentDictionary<PhaseId, Lazy<Turns>> _phases = [];

    /// <summary>Takes the next turn, or the one that was promised.</summary>
    public int Next(RouteTest test, int? promised)
    {
        var turns = For(test);
        lock (turns)
        {
            var page = promised ?? turns.Rotation.Next(turns.Had);
            turns.Had[page]++;
            return page;
        }
    }

    /// <summary>The turns that come next, with none taken.</summary>
    public IReadOnlyList<int> Upcoming(RouteTest test, int count)
    {
        var turns = For(test);
        lock (turns)
            return turns.Rotation.Upcoming(turns.Had, count);
    }

    private sealed record Turns(Rotation Rotation, long[] Had);

    private Turns For(RouteTest test) =>
        (_phases.TryGetValue(test.Phase!.Value, out var known) ? known : Begin(test)).Value;

    private Lazy<Turns> Begin(RouteTest test) =>
        _phases.GetOrAdd(test.Phase!.Value, phase =>
            new(() => new(new Rotation(test.Weights, (ulong)phase.Value), Read(test, phase)))
        );

    private long[] Read(RouteTest test, PhaseId phase)
    {
        try
        {
            var turns = tallies.Turns(test.Id, phase);
            return [.. test.Pages.Select(page => turns.GetValueOrDefault(page.Id))];
        }
        catch (SqliteException error)
        {
            // The turns begin anew rather than keep a visitor waiting.
            troubles.Say("The turns that pages have had could not be read, so they begin anew", error);
            return new long[test.Pages.Count];
        }
    }
}
