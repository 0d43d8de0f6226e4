using System.Diagnostics;
using Microsoft.AspNetCore.Connections;

namespace Wexil.Web.Hosting;

/// <summary>
/// The connections of a door, as many as it has places. When all are taken, those that have been idle longest are
/// ended, so that whoever holds connections open and sends nothing keeps nobody out; newcomers wait before they are
/// accepted, where they take no file.
/// </summary>
/// <param name="places">How many there are.</param>
internal sealed class DoorSeats(int places) : IDisposable
{
    private static readonly TimeSpan Look = TimeSpan.FromMilliseconds(50);

    // A busy machine needs a moment to read what a new connection sends.
    private static readonly TimeSpan Grace = TimeSpan.FromMilliseconds(200);

    private readonly Lock _lock = new();
    private readonly HashSet<SeatedConnection> _taken = [];
    private readonly SemaphoreSlim _free = new(places);

    /// <summary>How many places are free.</summary>
    public int Places => _free.CurrentCount;

    /// <summary>Completes when a place is free, which is then kept for the next connection.</summary>
    public async Task KeepPlaceAsync(CancellationToken stop)
    {
        while (!await _free.WaitAsync(TimeSpan.Zero, stop))
        {
            EndIdle();
            if (await _free.WaitAsync(Look, stop))
                return;
        }
    }

    /// <summary>Gives the place that was kept to a connection.</summary>
    public SeatedConnection Take(ConnectionContext connection)
    {
        var seated = new SeatedConnection(connection, this);
        connection.Features.Set(seated);
        lock (_lock)
            _taken.Add(seated);
        return seated;
    }

    /// <summary>Gives back a place that was kept for nobody.</summary>
    public void Free() => _free.Release();

    /// <summary>Gives a connection's place back.</summary>
    public void Free(SeatedConnection connection)
    {
        lock (_lock)
        {
            if (!_taken.Remove(connection))
                return;
        }
        _free.Release();
    }

    /// <inheritdoc/>
    public void Dispose() => _free.Dispose();

    /// <summary>Several at once: to look through all of them for each newcomer would be an attack by itself.</summary>
    private void EndIdle()
    {
        const int share = 20;
        var most = Math.Max(1, places / share);
        SeatedConnection[] longest;
        lock (_lock)
            longest =
            [
                .. _taken
                    .Where(connection =>
                        connection is { IsIdle: true, IsEnded: false }
                        && (connection.Leaves || Stopwatch.GetElapsedTime(connection.IdleSince) > Grace)
                    )
                    .OrderByDescending(connection => connection.Leaves)
                    .ThenBy(connection => connection.IdleSince)
                    .Take(most - _taken.Count(connection => connection.IsEnded)),
            ];
        foreach (var idle in longest)
            idle.Abort(new ConnectionAbortedException("Others need its place."));
    }
}
