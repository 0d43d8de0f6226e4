using Microsoft.Extensions.Logging;
using Wexil.App.Background;
using Wexil.App.Outbox;

namespace Wexil.App.Health;

/// <summary>Mails the owner about what has been wrong for five minutes; once, until it is well again.</summary>
public sealed class HealthAlarm(
    HealthProblems health,
    OwnerMail mail,
    BackgroundProblems problems,
    YieldingThreads threads,
    TimeProvider time,
    ILogger<HealthAlarm> logger
) : PeriodicWork("Watching over Wexil itself", problems, threads, time, logger)
{
    /// <summary>What is over sooner needs nobody.</summary>
    public static readonly TimeSpan Patience = TimeSpan.FromMinutes(5);

    private readonly Dictionary<string, (DateTimeOffset Since, bool IsTold)> _wrong = [];

    /// <summary>Looks once.</summary>
    public async Task LookAsync()
    {
        var (now, current) = (Time.GetUtcNow(), health.Now());
        foreach (var over in _wrong.Keys.Except(current.Select(problem => problem.Key)).ToArray())
            _wrong.Remove(over);
        foreach (var problem in current)
        {
            var (since, isTold) = _wrong.GetValueOrDefault(problem.Key, (now, false));
            var isDue = !isTold && now - since >= Patience;
            if (isDue)
                await mail.TellAsync(
                    $"health-{problem.Key}",
                    "Wexil needs your attention",
                    problem.Sentence,
                    "/status"
                );
            _wrong[problem.Key] = (since, isTold || isDue);
        }
    }

    /// <inheritdoc/>
    protected override Task WorkAsync(CancellationToken stop) => LookAsync();

    /// <inheritdoc/>
    protected override TimeSpan Rest() => TimeSpan.FromSeconds(30);
}
