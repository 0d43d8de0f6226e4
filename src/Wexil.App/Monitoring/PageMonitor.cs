using System.Collections.Concurrent;
using Microsoft.Extensions.Logging;
using Wexil.App.Background;
using Wexil.App.Fetching;
using Wexil.App.Visits;
using Wexil.App.Wording;
using Wexil.Store;

namespace Wexil.App.Monitoring;

/// <summary>
/// Looks at the outside pages that visitors are sent to every few minutes. One that fails twice in a row is reported,
/// and rests in a test whose owner wishes so, until it answers again.
/// </summary>
public sealed class PageMonitor(
    Routes routes,
    WatchStore watch,
    InstallationStore wiring,
    TestStore tests,
    PageStore pages,
    PageFetcher fetcher,
    BackgroundProblems problems,
    YieldingThreads threads,
    TimeProvider time,
    ILogger<PageMonitor> logger
) : PeriodicWork("Checking pages that are hosted elsewhere", problems, threads, time, logger)
{
    /// <summary>How often pages are looked at.</summary>
    public static readonly TimeSpan Every = TimeSpan.FromMinutes(3);
    private const int FailuresToReport = 2,
        AtOnce = 4;

    /// <summary>Looks at every page once.</summary>
    public async Task LookAsync(CancellationToken stop)
    {
        var before = watch.All();
        // A page that rests is still looked at: the tests' pages are all shown.
        var shown = routes.Current.Shown.Where(page => page.Outside is not null).DistinctBy(page => page.Id).ToArray();
        var looks = new ConcurrentBag<PageLook>();
        await Parallel.ForEachAsync(
            shown,
            new ParallelOptions { MaxDegreeOfParallelism = AtOnce, CancellationToken = stop },
            async (page, ended) =>
            {
                var (found, problem) = await fetcher.LookAsync(page.Outside!.Address, ended);
                if (found is not null)
                    await wiring.SaveFoundAsync(page.Id, found);
                var last = before.GetValueOrDefault(page.Id);
                var now = Time.GetUtcNow();
                var fails = problem is not null and not PageFetcher.NotAsked;
                var failures = fails ? (last?.Failures ?? 0) + 1 : 0;
                looks.Add(
                    new(page.Id, now, failures, problem, failures >= FailuresToReport ? last?.DownSince ?? now : null)
                );
            }
        );
        if (looks.IsEmpty)
            return;
        await watch.SaveAsync(looks);
        await RestAsync(stop);
    }

    /// <summary>Lets pages rest that are down, and wakes those that answer or shall not rest any more.</summary>
    private async Task RestAsync(CancellationToken stop)
    {
        var looks = watch.All();
        foreach (var test in tests.Open())
        {
            foreach (var page in test.Pages)
            {
                var rests = test.Settings.RestsFailing && looks.GetValueOrDefault(page)?.DownSince is not null;
                if (rests == test.Resting.Contains(page))
                    continue;
                await EachAsync(
                    $"rest {page.Value}",
                    $"Resting a page in the test “{test.Name}”",
                    () => tests.RestAsync(test.Id, page, rests, Format.Quoted(pages.Find(page)!.Name)),
                    stop
                );
            }
        }
    }

    /// <inheritdoc/>
    protected override Task WorkAsync(CancellationToken stop) => LookAsync(stop);

    /// <inheritdoc/>
    protected override TimeSpan Rest() => Every;
}
