using Wexil.Core.Common;
using Wexil.Core.Visitors;

namespace Wexil.App.Visits;

/// <summary>
/// Remembers who followed which link within the last two seconds, so that a double click is one visit. Its room is
/// fixed: where more come than fit, which takes some hundred thousand in two seconds, the oldest is forgotten and may
/// count twice.
/// </summary>
public sealed class RecentVisits
{
    /// <summary>The same visit once more within this is a double click.</summary>
    public static readonly TimeSpan Window = TimeSpan.FromSeconds(2);

    // A visit may lie in one of the few places of its shelf.
    private const int Shelves = 1 << 15,
        Places = 8,
        Locks = 64;
    private readonly (ulong Key, long At)[] _visits = new (ulong, long)[Shelves * Places];
    private readonly Lock[] _locks = [.. Enumerable.Range(0, Locks).Select(_ => new Lock())];

    /// <summary>Notes a visit. False when the same visitor followed the same link just before.</summary>
    public bool Add(VisitorId visitor, StepId step, DateTimeOffset at)
    {
        var key = Key(visitor, step);
        var shelf = (int)(key % Shelves) * Places;
        var moment = at.ToUnixTimeMilliseconds();
        lock (_locks[shelf / Places % Locks])
        {
            var oldest = shelf;
            for (var place = shelf; place < shelf + Places; place++)
            {
                ref var visit = ref _visits[place];
                if (visit.Key == key && moment >= visit.At && moment - visit.At < Window.TotalMilliseconds)
                    return false;
                if (visit.At < _visits[oldest].At)
                    oldest = place;
            }
            _visits[oldest] = (key, moment);
            return true;
        }
    }

    // The end of a visitor's id is nothing but chance.
    private static ulong Key(VisitorId visitor, StepId step)
    {
        Span<byte> id = stackalloc byte[16];
        visitor.Value.TryWriteBytes(id);
        return BitConverter.ToUInt64(id[8..]) ^ ((ulong)step.Value * 0x9E3779B97F4A7C15);
    }
}
