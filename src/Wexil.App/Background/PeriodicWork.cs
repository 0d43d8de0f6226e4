using Microsoft.Extensions.Hosting;
using Microsoft.Extensions.Logging;

namespace Wexil.App.Background;

/// <summary>
/// Work that the program does by itself, again and again. Whatever fails is logged, shown on Today and tried again at
/// its next turn: nothing that another server or a single item does ends the program.
/// </summary>
/// <param name="name">What it does, in words for the owner: "Checking pages hosted elsewhere".</param>
public abstract class PeriodicWork(
    string name,
    BackgroundProblems problems,
    YieldingThreads threads,
    TimeProvider time,
    ILogger logger
) : BackgroundService
{
    private static readonly Action<ILogger, string, Exception?> Failing = LoggerMessage.Define<string>(
        LogLevel.Error,
        new(1, nameof(PeriodicWork)),
        "{Work} failed and is tried again later"
    );

    /// <summary>The clock that the work goes by.</summary>
    protected TimeProvider Time => time;

    /// <summary>Where failures are written.</summary>
    protected ILogger Logger => logger;

    /// <summary>Does what is due.</summary>
    protected abstract Task WorkAsync(CancellationToken stop);

    /// <summary>How long to rest before the next turn.</summary>
    protected abstract TimeSpan Rest();

    /// <summary>Does one item of the work. A failure is logged and shown on Today, and the other items go on.</summary>
    /// <param name="key">What names the item, so that its next success clears the problem.</param>
    /// <param name="what">The item in words for the owner.</param>
    protected async Task EachAsync(string key, string what, Func<Task> work, CancellationToken stop)
    {
        try
        {
            await work();
            problems.Succeeded(key);
        }
        catch (OperationCanceledException) when (stop.IsCancellationRequested)
        {
            throw;
        }
        catch (Exception error)
        {
            Failing(logger, what, error);
            problems.Failed(key, what);
        }
    }

    /// <inheritdoc/>
    protected override Task ExecuteAsync(CancellationToken stoppingToken) =>
        threads.RunAsync(() => RepeatAsync(stoppingToken));

    private async Task RepeatAsync(CancellationToken stop)
    {
        try
        {
            while (true)
            {
                await EachAsync(name, name, () => WorkAsync(stop), stop);
                await Task.Delay(Rest(), time, stop);
            }
        }
        catch (OperationCanceledException) when (stop.IsCancellationRequested)
        {
            // The program ends, as it was asked to.
        }
    }
}
