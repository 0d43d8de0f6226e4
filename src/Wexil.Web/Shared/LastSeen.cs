using System.Collections.Concurrent;
using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Store;

namespace Wexil.Web.Shared;

/// <summary>
/// When visitors' browsers last told of an outside page, and when a page where a test begins last asked what to do. Kept in memory,
/// because it changes with every visit, and written down twice a minute.
/// </summary>
public sealed class LastSeen(WiringStore wiring, TimeProvider time) : BackgroundService
{
    private static readonly TimeSpan Every = TimeSpan.FromSeconds(30);
    private readonly ConcurrentDictionary<string, DateTimeOffset> _seen = new(wiring.Seen());
    private readonly ConcurrentDictionary<string, DateTimeOffset> _unwritten = [];

    public void Note(PageId page, DateTimeOffset at) => Note(Key(page), at);

    /// <param name="start">The step's slug.</param>
    public void NoteStart(string start, DateTimeOffset at) => Note($"start:{start}", at);

    public DateTimeOffset? Last(PageId page) => Last(Key(page));

    public DateTimeOffset? LastStart(string start) => Last($"start:{start}");

    /// <summary>Writes down what is new.</summary>
    public async Task WriteAsync()
    {
        var news = _unwritten.ToArray();
        if (news.Length == 0) return;
        await wiring.SaveSeenAsync(news);
        foreach (var entry in news) _unwritten.TryRemove(entry);
    }

    public override async Task StopAsync(CancellationToken cancellationToken)
    {
        await base.StopAsync(cancellationToken);
        await TryWriteAsync();
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Every, time);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken)) await TryWriteAsync();
        }
        catch (OperationCanceledException)
        {
            // The program ends.
        }
    }

    private static string Key(PageId page) => $"page:{page.Value}";

    private async Task TryWriteAsync()
    {
        try
        {
            await WriteAsync();
        }
        catch (Exception error) when (error is StoreException or SqliteException)
        {
            // The store is not well; it is written with the next.
        }
    }

    private void Note(string key, DateTimeOffset at) => _seen[key] = _unwritten[key] = at;

    private DateTimeOffset? Last(string key) => _seen.TryGetValue(key, out var at) ? at : null;
}
