using Microsoft.Extensions.Logging;
using Wexil.App.Background;
using Wexil.App.Outbox;
using Wexil.Store;
using Wexil.Store.Retention;

namespace Wexil.App.Retention;

/// <summary>Every night, deletes what is older than the owner wants to keep.</summary>
public sealed class RetentionWork(
    SettingStore settings,
    VisitThinning visits,
    OldPeople people,
    MailSender mail,
    BackgroundProblems problems,
    YieldingThreads threads,
    TimeProvider time,
    ILogger<RetentionWork> logger
) : PeriodicWork("Deleting what is older than you keep", problems, threads, time, logger)
{
    /// <summary>The owner's hour from which on it is done: after the night's backup.</summary>
    public const int Hour = 4;

    private static readonly TimeSpan Pause = TimeSpan.FromMinutes(10);
    private DateOnly? _doneOn;

    /// <summary>Does it, once in an owner's day.</summary>
    public async Task RunDueAsync(CancellationToken stop = default)
    {
        var local = TimeZoneInfo.ConvertTime(Time.GetUtcNow(), settings.Zone);
        var today = DateOnly.FromDateTime(local.DateTime);
        if (local.Hour < Hour || _doneOn == today)
            return;
        await RunAsync(stop);
        _doneOn = today;
    }

    /// <summary>Does it. What fails of it does not keep the rest from being done.</summary>
    public async Task RunAsync(CancellationToken stop)
    {
        var (periods, now) = (settings.Retention, Time.GetUtcNow());
        Task RunPartAsync(string key, string what, int? months, Func<DateTimeOffset, Task> work) =>
            RetentionPeriods.Before(months, now) is { } before
                ? EachAsync(key, what, () => work(before), stop)
                : Task.CompletedTask;
        // Of people who go first, the visits can go right after.
        await RunPartAsync(
            "retention-people",
            "Deleting people who have done nothing for long",
            periods.People,
            async before =>
            {
                foreach (var email in await people.RemoveSilentAsync(before, stop))
                    mail.Forget(email);
            }
        );
        await RunPartAsync("retention-buyers", "Deleting the addresses of old orders", periods.Buyers, before =>
            people.ForgetBuyersAsync(before, stop)
        );
        await RunPartAsync("retention-visits", "Deleting old visits", periods.Visits, before =>
            visits.RunAsync(before, stop)
        );
    }

    /// <inheritdoc/>
    protected override Task WorkAsync(CancellationToken stop) => RunDueAsync(stop);

    /// <inheritdoc/>
    protected override TimeSpan Rest() => Pause;
}
