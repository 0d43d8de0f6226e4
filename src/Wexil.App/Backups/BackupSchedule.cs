using System.ComponentModel;
using System.Diagnostics;
using Microsoft.Extensions.Logging;
using Wexil.App.Background;
using Wexil.Store;

namespace Wexil.App.Backups;

/// <summary>
/// Makes a backup every hour, or every night where there is much data; deletes those that nobody needs any more; and
/// calls the owner's program, which takes each elsewhere.
/// </summary>
public sealed class BackupSchedule(
    BackupFolder backups,
    BackupOptions options,
    DataFolder data,
    SettingStore settings,
    BackgroundProblems problems,
    YieldingThreads threads,
    TimeProvider time,
    ILogger<BackupSchedule> logger
) : PeriodicWork("Making backups", problems, threads, time, logger)
{
    private static readonly TimeSpan MaxHandOver = TimeSpan.FromHours(1),
        Pause = TimeSpan.FromMinutes(1);
    private string? _toHandOver;

    /// <summary>Makes a backup where one is due, and hands it over.</summary>
    public async Task MakeDueAsync(CancellationToken stop = default)
    {
        if (!backups.IsUsed)
            return;
        var now = Time.GetUtcNow();
        if (BackupPlan.IsDue(backups.Last, now, new FileInfo(data.DataFile).Length, settings.Zone))
        {
            _toHandOver = await Task.Run(() => backups.Make(data, now, stop), stop);
            backups.Delete(BackupPlan.Obsolete(backups.Made(), now, settings.Zone));
        }
        // The newest holds all that those before hold, so it is enough to try that one again.
        if (_toHandOver is not null && options.HandOver is { } program)
            await EachAsync("hand-over", "Handing backups over", () => HandOverAsync(program, _toHandOver, stop), stop);
    }

    /// <inheritdoc/>
    protected override Task WorkAsync(CancellationToken stop) => MakeDueAsync(stop);

    /// <inheritdoc/>
    protected override TimeSpan Rest() => Pause;

    private async Task HandOverAsync(string program, string file, CancellationToken stop)
    {
        using var limit = CancellationTokenSource.CreateLinkedTokenSource(stop);
        limit.CancelAfter(MaxHandOver);
        Process started;
        try
        {
            started = Process.Start(new ProcessStartInfo(program, [file]) { RedirectStandardError = true })!;
        }
        catch (Win32Exception error)
        {
            throw new StoreException($"{program} cannot be started: {error.Message}", error);
        }
        using (started)
        {
            try
            {
                var said = await started.StandardError.ReadToEndAsync(limit.Token);
                await started.WaitForExitAsync(limit.Token);
                if (started.ExitCode != 0)
                    throw new StoreException($"{program} ended with {started.ExitCode}: {Brief(said)}");
            }
            catch (OperationCanceledException)
            {
                started.Kill(entireProcessTree: true);
                throw;
            }
        }
        _toHandOver = null;
    }

    private static string Brief(string said) => said.Length > 500 ? said[..500] + "…" : said.Trim();
}
