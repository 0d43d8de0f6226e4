using System.Collections.Concurrent;
using Microsoft.Extensions.Logging;
using Wexil.App.Background;
using Wexil.Core.Common;
using Wexil.Store;

namespace Wexil.App.Installation;

/// <summary>
/// When visitors' browsers last told of an outside page, and when a page where a test begins, or a section on a page,
/// last asked what to do.
/// Kept in memory, because it changes with every visit, and written down twice a minute.
/// </summary>
public sealed class LastSeen(
    InstallationStore wiring,
    BackgroundProblems problems,
    YieldingThreads threads,
    TimeProvider time,
    ILogger<LastSeen> logger
) : PeriodicWork("Writing down when pages were last seen", problems, threads, time, logger)
{
    private static readonly TimeSpan Every = TimeSpan.FromSeconds(30);
    private readonly ConcurrentDictionary<string, DateTimeOffset> _seen = new(wiring.Seen());
    private readonly ConcurrentDictionary<string, DateTimeOffset> _unwritten = [];

    /// <summary>A visitor’s browser told of a page.</summary>
    public void Note(PageId page, DateTimeOffset at) => Note(Key(page), at);

    /// <param name="start">The step's slug.</param>
    public void NoteStart(string start, DateTimeOffset at) => Note($"start:{start}", at);

    /// <summary>A section's line asked which version to show.</summary>
    /// <param name="key">The section's.</param>
    public void NoteSection(string key, DateTimeOffset at) => Note($"section:{key}", at);

    /// <summary>When a page was told of last; null for never.</summary>
    public DateTimeOffset? Last(PageId page) => Last(Key(page));

    /// <summary>When a start asked last; null for never.</summary>
    public DateTimeOffset? LastStart(string start) => Last($"start:{start}");

    /// <summary>When a section's line asked last; null for never.</summary>
    public DateTimeOffset? LastSection(string key) => Last($"section:{key}");

    /// <summary>Writes down what is new.</summary>
    public async Task WriteAsync()
    {
        var news = _unwritten.ToArray();
        if (news.Length == 0)
            return;
        await wiring.SaveSeenAsync(news);
        foreach (var entry in news)
            _unwritten.TryRemove(entry);
    }

    /// <inheritdoc/>
    public override async Task StopAsync(CancellationToken cancellationToken)
    {
        await base.StopAsync(cancellationToken);
        await EachAsync(nameof(LastSeen), "Writing down when pages were last seen", WriteAsync, cancellationToken);
    }

    /// <inheritdoc/>
    protected override Task WorkAsync(CancellationToken stop) => WriteAsync();

    /// <inheritdoc/>
    protected override TimeSpan Rest() => Every;

    private static string Key(PageId page) => $"page:{page.Value}";

    private void Note(string key, DateTimeOffset at) => _seen[key] = _unwritten[key] = at;

    private DateTimeOffset? Last(string key) => _seen.TryGetValue(key, out var at) ? at : null;
}
