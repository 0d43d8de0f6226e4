using System.Collections.Concurrent;

namespace Wexil.Web.Shared;

/// <summary>When the page where a test begins last asked what to do.</summary>
public sealed class StartSeen
{
    private readonly ConcurrentDictionary<string, DateTimeOffset> _asked = [];

    public void Note(string slug, DateTimeOffset at) => _asked[slug] = at;

    public DateTimeOffset? Last(string slug) => _asked.TryGetValue(slug, out var at) ? at : null;
}
