using Microsoft.Data.Sqlite;
using Microsoft.Extensions.Logging;
using Wexil.App.Background;
using Wexil.App.Fetching;
using Wexil.App.Tickets;
using Wexil.Store;

namespace Wexil.App.Outbox;

/// <summary>
/// Sends out behind the visitor's back: forwards opt-ins to mail services, mails for confirmations, and tells ad
/// networks what became of their clicks. Each of these services has a lane of its own, so that a slow one holds up only
/// itself.
/// </summary>
public sealed class OutboxDelivery(
    OutboxStore outgoing,
    OptInStore optIns,
    SourceStore sources,
    PageFetcher web,
    MailSender mail,
    ConfirmTickets tickets,
    VisitorsAddress visitors,
    BackgroundProblems problems,
    YieldingThreads threads,
    TimeProvider time,
    ILogger<OutboxDelivery> logger
) : PeriodicWork("Sending what waits in the outbox", problems, threads, time, logger)
{
    private const int AtOnce = 50;

    /// <summary>A service that fails so often in a row is left alone until the next round.</summary>
    public const int MostFailures = 3;

    private static readonly TimeSpan Every = TimeSpan.FromSeconds(5);
    private static readonly Action<ILogger, long, OutboxKind, int, Exception?> NotSent = LoggerMessage.Define<
        long,
        OutboxKind,
        int
    >(
        LogLevel.Warning,
        new(1, nameof(OutboxDelivery)),
        "Outbox item {Item} ({Kind}) did not go out after {Tries} earlier tries"
    );

    // A lane that is under way is not begun again: two senders would send the same twice.
    private readonly Dictionary<OutboxLane, Task> _underWay = [];

    /// <summary>Sends everything that is due, and waits for it.</summary>
    public Task SendDueAsync(CancellationToken stop) => Task.WhenAll(StartLanes(stop));

    /// <inheritdoc/>
    protected override Task WorkAsync(CancellationToken stop)
    {
        StartLanes(stop);
        return Task.CompletedTask;
    }

    /// <inheritdoc/>
    protected override TimeSpan Rest() => Every;

    private Task[] StartLanes(CancellationToken stop)
    {
        var lanes = outgoing.DueLanes();
        lock (_underWay)
        {
            foreach (var done in _underWay.Where(lane => lane.Value.IsCompleted).Select(lane => lane.Key).ToArray())
                _underWay.Remove(done);
            foreach (var lane in lanes)
                if (!_underWay.ContainsKey(lane))
                    _underWay[lane] = Task.Run(
                        () =>
                            EachAsync(
                                $"outbox {lane}",
                                "Sending what waits in the outbox",
                                () => SendLaneAsync(lane, stop),
                                stop
                            ),
                        stop
                    );
            return [.. _underWay.Values];
        }
    }

    private async Task SendLaneAsync(OutboxLane lane, CancellationToken stop)
    {
        var failures = 0;
        while (outgoing.Due(lane, AtOnce) is { Count: > 0 } due)
        {
            foreach (var one in due)
            {
                var problem = await TryAsync(one, stop);
                failures = problem is { IsServiceDown: true } ? failures + 1 : 0;
                if (problem is null)
                    await outgoing.DoneAsync(one);
                else
                {
                    NotSent(Logger, one.Id, one.Kind, one.Tries, null);
                    await outgoing.FailedAsync(one, problem.Why);
                }
                // Thousands that wait would each be tried, one after the other, as fast as it fails.
                if (failures == MostFailures)
                    return;
            }
        }
    }

    /// <summary>
    /// Why it did not go out; null when it did. Whatever is wrong with one item is its problem and no
    /// other's.
    /// </summary>
    private async Task<SendFailure?> TryAsync(OutboxMessage one, CancellationToken stop)
    {
        try
        {
            return await SendAsync(one, stop);
        }
        catch (MailException error)
        {
            return new(error.Message, error.IsServerDown);
        }
        catch (Exception error) when (!stop.IsCancellationRequested && error is not (StoreException or SqliteException))
        {
            NotSent(Logger, one.Id, one.Kind, one.Tries, error);
            return new($"It cannot be sent as it is: {error.Message}", IsServiceDown: false);
        }
    }

    private async Task<SendFailure?> SendAsync(OutboxMessage one, CancellationToken stop)
    {
        if (one is { Kind: OutboxKind.Postback, Source: { } network })
            return sources.Network(network)?.Postback is { } told
                ? await web.TellAsync(new(told.Fill(one.Postback)), stop)
                : null;
        if (one.Kind == OutboxKind.Owner)
        {
            await mail.SendAsync(new(one.Email, one.Mail.Subject, one.Mail.Words), Time.GetUtcNow(), stop);
            return null;
        }
        var settings = optIns.ForStep(one.Step);
        if (one.Kind == OutboxKind.Forward)
        {
            if (settings.ForwardTo is not { } address)
                return null;
            var form = settings
                .Fields.Select(field =>
                    (
                        Name: field.Value,
                        Value: field.Key == "email" ? one.Email : one.OptInFields.GetValueOrDefault(field.Key)
                    )
                )
                .Where(field => field.Value is not null)
                .Select(field => KeyValuePair.Create(field.Name, field.Value!));
            return await web.PostFormAsync(address, form, stop);
        }
        var link = $"{visitors.Origin}/confirm/{tickets.Issue(one.Step, one.Email)}";
        var words = $"{settings.Words}\n\n{link}\n\nIf it was not you, leave this mail alone: nothing happens then.\n";
        await mail.SendAsync(new(one.Email, settings.Subject, words), Time.GetUtcNow(), stop);
        return null;
    }
}
