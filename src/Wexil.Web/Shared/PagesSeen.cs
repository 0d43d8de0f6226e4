using System.Collections.Concurrent;
using Wexil.Core.Funnels;

namespace Wexil.Web.Shared;

/// <summary>When a real visitor's browser last told of an outside page, since the program started.</summary>
public sealed class PagesSeen
{
    private readonly ConcurrentDictionary<PageId, DateTimeOffset> _last = [];

    public void Note(PageId page, DateTimeOffset at) => _last[page] = at;

    public DateTimeOffset? Last(PageId page) => _last.TryGetValue(page, out var at) ? at : null;
}
