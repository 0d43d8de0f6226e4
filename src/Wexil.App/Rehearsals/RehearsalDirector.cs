using System.Collections.Concurrent;
using Microsoft.Extensions.Logging;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.App.Rehearsals;

/// <summary>
/// Sends rehearsal visitors through the real addresses of a funnel, so that its owner sees the whole chain at work
/// before real visitors are paid for. Nothing that they do is counted.
/// </summary>
public sealed class RehearsalDirector(
    RehearsalStore rehearsals,
    FunnelStore funnels,
    SettingStore settings,
    SecretStore secrets,
    Routes routes,
    VisitorsAddress visitors,
    VisitorToken tokens,
    IChance chance,
    TimeProvider time,
    ILogger<RehearsalDirector> logger
)
{
    /// <summary>How many visitors a rehearsal has at most.</summary>
    public const int MaxVisitors = 50;

    /// <summary>How many there are where nobody says otherwise.</summary>
    public const int DefaultVisitors = 12;

    private const int AtOnce = 3;

    private static readonly Action<ILogger, Exception?> Failed = LoggerMessage.Define(
        LogLevel.Error,
        new(1, nameof(RehearsalDirector)),
        "A rehearsal visitor could not go on"
    );

    private readonly ConcurrentDictionary<FunnelId, Run> _underWay = [];

    // Its token source has no timer and no handle, so that nobody has to dispose of it.
#pragma warning disable CA1001
    private sealed class Run
#pragma warning restore CA1001
    {
        public CancellationTokenSource Stopping { get; } = new();
        public TaskCompletionSource Ended { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);
    }

    /// <summary>
    /// Begins a rehearsal, and returns while its visitors are under way. Where one is under way, it goes on and no
    /// other begins.
    /// </summary>
    /// <param name="count">From 1 to <see cref="MaxVisitors"/>.</param>
    /// <param name="fillsInOrders">Fills in the checkout's own order form, for one that is in test mode.</param>
    /// <exception cref="StoreException">The store is not well.</exception>
    public async Task StartAsync(FunnelId funnel, int count, bool fillsInOrders)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(count, 1);
        ArgumentOutOfRangeException.ThrowIfGreaterThan(count, MaxVisitors);
        var run = new Run();
        if (!_underWay.TryAdd(funnel, run))
            return;
        try
        {
            var now = time.GetUtcNow();
            (VisitorId Id, Device Device)[] sent =
            [
                .. Enumerable.Range(0, count).Select(i => (VisitorId.NewRehearsal(now, chance), DeviceOf(i))),
            ];
            await rehearsals.StartAsync(funnel, sent);
            _ = Task.Run(() => RunAsync(funnel, sent, fillsInOrders, run));
        }
        catch
        {
            _underWay.TryRemove(new(funnel, run));
            throw;
        }
    }

    /// <summary>Are visitors of a rehearsal of the funnel under way?</summary>
    public bool IsUnderWay(FunnelId funnel) => _underWay.ContainsKey(funnel);

    /// <summary>Stops what is under way, and forgets all of the funnel's rehearsal.</summary>
    /// <exception cref="StoreException">The store is not well.</exception>
    public async Task WipeAsync(FunnelId funnel)
    {
        Stop(funnel);
        await EndedAsync(funnel);
        await rehearsals.WipeAsync(funnel);
    }

    /// <summary>Completes when no visitor of the funnel's rehearsal is under way.</summary>
    public Task EndedAsync(FunnelId funnel) =>
        _underWay.TryGetValue(funnel, out var run) ? run.Ended.Task : Task.CompletedTask;

    /// <summary>Stops the visitors that are under way; what they did is kept.</summary>
    public void Stop(FunnelId funnel)
    {
        if (_underWay.TryGetValue(funnel, out var run))
            run.Stopping.Cancel();
    }

    // Half on phones, as ads are seen.
    private static Device DeviceOf(int place) => place % 2 == 0 ? Device.Phone : Device.Desktop;

    private async Task RunAsync(
        FunnelId funnel,
        IReadOnlyList<(VisitorId Id, Device Device)> sent,
        bool fillsInOrders,
        Run run
    )
    {
        try
        {
            var plan = new RehearsalPlan(
                [.. funnels.Steps(funnel).Where(step => !step.IsArchived)],
                visitors,
                fillsInOrders,
                secrets.HookSecret,
                settings.HookMapping,
                settings.Currency
            );
            await Parallel.ForEachAsync(
                Enumerable.Range(0, sent.Count),
                new ParallelOptions { MaxDegreeOfParallelism = AtOnce, CancellationToken = run.Stopping.Token },
                async (i, stop) => await WalkAsync(plan, sent[i].Id, sent[i].Device, i + 1, stop)
            );
        }
        catch (Exception error)
        {
            if (error is not OperationCanceledException)
                Failed(logger, error);
        }
        await EndAsync(funnel, run);
    }

    private async Task WalkAsync(
        RehearsalPlan plan,
        VisitorId visitor,
        Device device,
        int number,
        CancellationToken stop
    )
    {
        using var browser = new RehearsalBrowser(
            visitor,
            device,
            visitors,
            settings.FetchesPrivateAddresses,
            rehearsals
        );
        string end;
        try
        {
            end = await new RehearsalWalk(plan, browser, routes.Current, visitor, number, tokens, time).GoAsync(stop);
        }
        catch (Exception error) when (!stop.IsCancellationRequested && error is not StoreException)
        {
            // What another server sends may be anything.
            Failed(logger, error);
            end = $"The visitor could not go on: {error.Message}";
        }
        await rehearsals.EndAsync(visitor, end);
    }

    private async Task EndAsync(FunnelId funnel, Run run)
    {
        try
        {
            await rehearsals.EndAllAsync(funnel, "Stopped before the end.");
        }
        catch (StoreException error)
        {
            Failed(logger, error);
        }
        _underWay.TryRemove(new(funnel, run));
        run.Ended.SetResult();
    }
}
