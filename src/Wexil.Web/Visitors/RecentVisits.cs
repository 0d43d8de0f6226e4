using System.Collections.Concurrent;
using Wexil.Core.Funnels;
using Wexil.Core.Splits;

namespace Wexil.Web.Visitors;

/// <summary>Remembers who followed which link within the last two seconds, so that a double click is one visit.</summary>
public sealed class RecentVisits
{
    public static readonly TimeSpan Window = TimeSpan.FromSeconds(2);
    private readonly Lock _lock = new();

    // Two spans of time: the older one is dropped whole, so nothing has to be looked through.
    private ConcurrentDictionary<(VisitorId, StepId), DateTimeOffset> _now = [], _before = [];
    private DateTimeOffset _turned;

    /// <summary>Notes a visit. False when the same visitor followed the same link just before.</summary>
    public bool Add(VisitorId visitor, StepId step, DateTimeOffset at)
    {
        if (at - _turned >= Window || at < _turned) Turn(at);
        var key = (visitor, step);
        if (IsRecent(_now, key, at) || IsRecent(_before, key, at)) return false;
        _now[key] = at;
        return true;
    }

    private static bool IsRecent(ConcurrentDictionary<(VisitorId, StepId), DateTimeOffset> visits, (VisitorId, StepId) key, DateTimeOffset at) =>
        visits.TryGetValue(key, out var last) && at >= last && at - last < Window;

    private void Turn(DateTimeOffset at)
    {
        lock (_lock)
        {
            if (at - _turned < Window && at >= _turned) return;
            (_before, _now, _turned) = (_now, [], at);
        }
    }
}
