using Wexil.Core.Assignments;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.App.Visits;

/// <summary>
/// Holds the table that visitors are answered from. It follows what is written: whoever changes something in Studio
/// goes on only when every request sees it.
/// </summary>
public sealed class Routes
{
    private static readonly TimeSpan BeforeAnotherTry = TimeSpan.FromSeconds(1);

    private readonly RouteStore _store;
    private readonly TroubleLog _troubles;
    private readonly Lock _lock = new();
    private volatile RouteTable _current = RouteTable.Empty;

    /// <summary>Reads the table that is stored, and again whatever the journal writes of it.</summary>
    public Routes(RouteStore store, Journal journal, TroubleLog troubles)
    {
        (_store, _troubles) = (store, troubles);
        journal.RoutesChanged += Follow;
        Read();
    }

    /// <summary>The table that visits are answered from at this moment.</summary>
    public RouteTable Current => _current;

    /// <summary>A new table has taken its place.</summary>
    public event Action<RouteTable>? Changed;

    private void Follow(RouteChange change)
    {
        try
        {
            if (change.OfAll)
                Read();
            else
                foreach (var funnel in change.Funnels)
                    Take(() => _store.Load(_current, funnel));
        }
        catch (Exception error)
        {
            // It is written, so whoever wrote it is not told of a failure; the table follows as soon as it can.
            _troubles.Say(
                "What visitors are answered from could not be read again, so it is tried once a second",
                error
            );
            _ = FollowLaterAsync();
        }
    }

    private async Task FollowLaterAsync()
    {
        while (true)
        {
            await Task.Delay(BeforeAnotherTry);
            try
            {
                Read();
                return;
            }
            catch (ObjectDisposedException)
            {
                // The program ends.
                return;
            }
            catch (Exception error)
            {
                _troubles.Say("What visitors are answered from could not be read again", error);
            }
        }
    }

    private void Read() => Take(_store.Load);

    private void Take(Func<RouteTable> load)
    {
        lock (_lock)
            _current = load();
        Changed?.Invoke(_current);
    }
}
