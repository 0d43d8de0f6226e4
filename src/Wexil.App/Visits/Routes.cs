using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Store;

namespace Wexil.App.Visits;

/// <summary>
/// Holds the table that visitors are answered from. Whoever changes something in Studio calls for a new one.
/// </summary>
public sealed class Routes
{
    private readonly RouteStore _store;
    private readonly Lock _lock = new();
    private volatile RouteTable _current = RouteTable.Empty;

    /// <summary>Reads the table that is stored.</summary>
    public Routes(RouteStore store)
    {
        _store = store;
        Reload();
    }

    /// <summary>The table that visits are answered from at this moment.</summary>
    public RouteTable Current => _current;

    /// <summary>A new table has taken its place.</summary>
    public event Action<RouteTable>? Changed;

    /// <summary>From its return on, every request sees what is stored now.</summary>
    public void Reload() => Take(_store.Load);

    /// <summary>
    /// The same after a change within one funnel, which takes a moment however many others there are.
    /// </summary>
    public void Reload(FunnelId funnel) => Take(() => _store.Load(_current, funnel));

    private void Take(Func<RouteTable> load)
    {
        lock (_lock)
            _current = load();
        Changed?.Invoke(_current);
    }
}
