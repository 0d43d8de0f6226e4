using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Targeting;

namespace Wexil.Store;

/// <summary>Reads what the visitors' side answers from.</summary>
public sealed class RouteStore(Database database)
{
    // Reading an address or an audience takes longer than all else, and a change leaves nearly all of them as they
    // were.
    private readonly Kept<OutsideAddress> _addresses = new(text => new(new Uri(text)));
    private readonly Kept<Audience> _audiences = new(Audience.Parse);

    /// <summary>Reads the whole table.</summary>
    public RouteTable Load() => Load(0, long.MaxValue);

    /// <summary>
    /// A table with one funnel as it is stored now: what a change within it takes, however many others there are.
    /// </summary>
    public RouteTable Load(RouteTable before, FunnelId funnel) => before.With(funnel, Load(funnel.Value, funnel.Value));

    private RouteTable Load(long from, long to) =>
        database.Read(c => new RouteReader(c, from, to, _addresses.Get, _audiences.Get).Read());

    /// <summary>The addresses where a funnel takes money.</summary>
    public static IEnumerable<string> Tills(IEnumerable<Step> steps, Func<Step, IEnumerable<Uri?>> addresses) =>
        steps
            .Where(step => step.Kind == StepKind.Checkout)
            .SelectMany(step =>
                addresses(step)
                    .Where(address => address is not null)
                    .Select(address => AddressKey.For(address!.AbsoluteUri))
                    .Prepend($"/go/{step.Slug}")
            );

    /// <summary>What was read from a text, kept for the next table; loading is under a lock.</summary>
    private sealed class Kept<T>(Func<string, T> read)
    {
        private const int MaxCount = 100_000;
        private readonly Dictionary<string, T> _known = new(StringComparer.Ordinal);

        public T Get(string text)
        {
            if (_known.TryGetValue(text, out var value))
                return value;
            if (_known.Count >= MaxCount)
                _known.Clear();
            return _known[text] = read(text);
        }
    }
}
