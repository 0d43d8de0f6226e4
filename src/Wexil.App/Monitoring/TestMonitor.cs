using Microsoft.Extensions.Logging;
using Wexil.App.Background;
using Wexil.App.Outbox;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Store;

namespace Wexil.App.Monitoring;

/// <summary>
/// Looks at every running test at each full hour, and at once after a start: keeps what it saw, so that looking often
/// is safe; follows the tests' rules; lets weights follow the evidence; and tells the owner what changed.
/// </summary>
public sealed class TestMonitor(
    TestStore tests,
    FunnelStore funnels,
    Readings readings,
    CrowdReader crowds,
    CrowdAlarms alarms,
    LookStore looks,
    VerdictRecorder keeper,
    SettingStore settings,
    TestMails mails,
    OwnerMail mail,
    BackgroundProblems problems,
    YieldingThreads threads,
    TimeProvider time,
    ILogger<TestMonitor> logger
) : PeriodicWork("Checking running tests", problems, threads, time, logger)
{
    // Two looks at once would both follow the same rule.
    private readonly SemaphoreSlim _looking = new(1);

    /// <summary>Looks at every running test once; a look that is under way is waited for.</summary>
    public async Task LookAsync(CancellationToken stop = default)
    {
        await _looking.WaitAsync(stop);
        try
        {
            await LookAtAllAsync(stop);
        }
        finally
        {
            _looking.Release();
        }
    }

    /// <inheritdoc/>
    public override void Dispose()
    {
        _looking.Dispose();
        base.Dispose();
    }

    private async Task LookAtAllAsync(CancellationToken stop)
    {
        var steps = funnels.AllSteps().ToDictionary(step => step.Id);
        var (last, every, seen) = (looks.Last(), funnels.Every(), new List<TestLook>());
        var alarmed = new Dictionary<TestId, CrowdAlarm>();
        foreach (var test in tests.Open())
        {
            await EachAsync(
                $"look {test.Id.Value}",
                $"Checking the test “{test.Name}”",
                async () =>
                {
                    var before = last.TryGetValue(test.Id, out var known) ? known.Stood : null;
                    seen.Add(await LookAtAsync(test, before, steps, every));
                    if (!IsAway(test, steps, every) && crowds.Read(test, [.. steps.Values]) is { } alarm)
                        await mails.OfCrowdsAsync(alarmed[test.Id] = alarm, every[alarm.Without.Step.Funnel]);
                },
                stop
            );
        }
        alarms.Last = alarmed;
        if (seen.Count > 0)
            await looks.SaveAsync(seen);
        await mail.TellOnMondayAsync(() =>
            tests.Open().Where(test => !IsAway(test, steps, every)).Select(test => readings.Of(test, steps))
        );
    }

    /// <summary>A funnel that is put away asks for nothing; what its rules do is still told.</summary>
    private static bool IsAway(
        SplitTest test,
        IReadOnlyDictionary<StepId, Step> steps,
        IReadOnlyDictionary<FunnelId, Funnel> every
    ) => every[steps[test.Step].Funnel].IsArchived;

    private async Task<TestLook> LookAtAsync(
        SplitTest test,
        string? before,
        IReadOnlyDictionary<StepId, Step> steps,
        IReadOnlyDictionary<FunnelId, Funnel> every
    )
    {
        var now = Time.GetUtcNow();
        var state = test.StateAt(now);
        var isDecidable = state is TestState.Running or TestState.Over;
        var reading = readings.Of(test, steps);
        var stood = isDecidable ? $"{state}: {reading.Verdict.Kind}" : state.ToString();
        var funnel = every[reading.Step.Funnel];
        var decision = isDecidable ? Decide(test, reading, state, now) : null;
        var look = new TestLook(
            test.Id,
            Past(test, reading, onMoney: false),
            Past(test, reading, onMoney: true),
            stood,
            reading.Money?.Learned
        )
        {
            SeenRate = reading.CorrectedRate,
            Points = isDecidable ? [.. reading.Way(onMoney: false, now), .. reading.Way(onMoney: true, now)] : [],
        };
        if (before != stood && !funnel.IsArchived)
            await mails.OfChangeAsync(reading, funnel, state, before, decision);
        if (decision is not null)
            await FollowAsync(test, reading, funnel, state, decision);
        return look;
    }

    /// <inheritdoc/>
    protected override Task WorkAsync(CancellationToken stop) => LookAsync(stop);

    /// <summary>Until the next full hour.</summary>
    protected override TimeSpan Rest() =>
        TimeSpan.FromHours(1) - TimeSpan.FromTicks(Time.GetUtcNow().Ticks % TimeSpan.TicksPerHour);

    private IReadOnlyDictionary<PageId, PastLooks> Past(SplitTest test, TestReading reading, bool onMoney)
    {
        var past = looks.Past(test.Id, onMoney);
        var compared = onMoney
            ? reading.Money?.Pages.Select(page => (page.Page, page.AgainstControl)) ?? []
            : reading.Result.Pages.Select(page => (page.Page, page.AgainstControl));
        return compared
            .Where(page => page.AgainstControl?.Raw is not null)
            .ToDictionary(
                page => page.Page.Id,
                page => past.GetValueOrDefault(page.Page.Id, PastLooks.None).With(page.AgainstControl!)
            );
    }

    private RuleDecision Decide(SplitTest test, TestReading reading, TestState state, DateTimeOffset now)
    {
        if (test.Check is { } check)
            return CheckRule.Decide(check, reading.Result, reading.Verdict, isOver: state == TestState.Over);
        var (localNow, localStart) = (
            TimeZoneInfo.ConvertTime(now, settings.Zone).DateTime,
            TimeZoneInfo.ConvertTime(test.StartedAt, settings.Zone).DateTime
        );
        return test.Rule.Decide(
            reading.Result,
            reading.Money,
            test.Weights,
            (localNow - localStart).TotalDays,
            DateOnly.FromDateTime(localNow)
        );
    }

    private async Task FollowAsync(
        SplitTest test,
        TestReading reading,
        Funnel funnel,
        TestState state,
        RuleDecision decision
    )
    {
        switch (decision)
        {
            case RuleDecision.Keep keep:
                var by = test.Check is null ? VerdictStore.ByRule : VerdictStore.ByCheck;
                if (await keeper.KeepAsync(reading, keep.Page.Id, by, test.Rule.Check))
                    await mails.OfKeepingAsync(reading, funnel, keep, test.Rule.Check);
                return;
            case RuleDecision.Rest rest:
                await RestAsync(test, reading, rest);
                return;
        }
        if (
            test.Settings.Allocation != Allocation.Adaptive
            || state != TestState.Running
            || reading.Result.Pages.Any(page => page.Total.Visitors == 0)
        )
            return;
        var chances =
            test.Rule.OnMoney && reading.Money is { } money
                ? money.Pages.Select(page => page.ChanceBest)
                : reading.Result.Pages.Select(page => page.ChanceBest);
        var weights = AdaptiveWeights.Compute([.. chances], test.Settings.Floor, test.Weights);
        if (!weights.Equals(test.Weights))
            await tests.FollowAsync(test.Id, weights, AdaptiveWeights.Who, $"{AdaptiveWeights.Reason} {weights}");
    }

    private Task RestAsync(SplitTest test, TestReading reading, RuleDecision.Rest rest)
    {
        var resting = rest
            .Pages.Select(page => reading.Result.Pages.TakeWhile(own => own.Page.Id != page.Id).Count())
            .ToArray();
        return tests.FollowAsync(
            test.Id,
            test.Weights.Without(resting),
            TestStore.Rule,
            $"{string.Join(" and ", rest.Pages.Select(page => page.Name))} "
                + $"{(rest.Pages.Count == 1 ? "rests" : "rest")}: "
                + $"{RuleWording.Why(rest, reading.Result.Facts)}"
        );
    }
}
