using System.Net;

namespace Wexil.Web.Hosting;

/// <summary>Places for requests of which one network takes a part at most. Safe for several threads.</summary>
/// <param name="all">How many there are.</param>
/// <param name="ofOne">How many one network takes at most.</param>
internal sealed class NetworkPlaces(int all, int ofOne)
{
    private readonly Lock _lock = new();
    private readonly Dictionary<string, int> _taken = [];
    private int _all;

    /// <summary>Takes a place, free again once what is returned is disposed; null where none is left.</summary>
    /// <param name="address">Who asks; behind a proxy, whom it names.</param>
    public IDisposable? Take(IPAddress? address)
    {
        var network = NetworkName.Of(address);
        lock (_lock)
        {
            var taken = _taken.GetValueOrDefault(network);
            if (_all >= all || taken >= ofOne)
                return null;
            _all++;
            _taken[network] = taken + 1;
        }
        return new Place(this, network);
    }

    private sealed class Place(NetworkPlaces places, string network) : IDisposable
    {
        public void Dispose()
        {
            lock (places._lock)
            {
                places._all--;
                if (--places._taken[network] == 0)
                    places._taken.Remove(network);
            }
        }
    }
}
