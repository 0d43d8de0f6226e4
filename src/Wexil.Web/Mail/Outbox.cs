using Microsoft.AspNetCore.DataProtection;
using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Store;
using Wexil.Web.Shared;
using Wexil.Web.Shared.Fetching;

namespace Wexil.Web.Mail;

/// <summary>Links by which somebody confirms an address; signed, and good for thirty days.</summary>
public sealed class ConfirmTickets(IDataProtectionProvider protection)
{
    private static readonly TimeSpan Life = TimeSpan.FromDays(30);
    private readonly ITimeLimitedDataProtector _protector = protection.CreateProtector("confirm").ToTimeLimitedDataProtector();

    public string Issue(StepId step, string email) => _protector.Protect($"{step.Value}\n{email}", Life);

    /// <summary>What a ticket is for; null for one that is not ours or over.</summary>
    public (StepId Step, string Email)? Open(string ticket)
    {
        try
        {
            var parts = _protector.Unprotect(ticket).Split('\n', 2);
            return (new(long.Parse(parts[0], System.Globalization.CultureInfo.InvariantCulture)), parts[1]);
        }
        catch (System.Security.Cryptography.CryptographicException)
        {
            return null;
        }
    }
}

/// <summary>Sends out behind the visitor's back: forwards opt-ins to mail services, mails for confirmations, and tells ad networks what became of their clicks.</summary>
public sealed class Outbox(OutgoingStore outgoing, OptInStore optIns, SourceStore sources, PageFetcher web, MailSender mail, ConfirmTickets tickets, VisitorsAddress visitors, TimeProvider time) : BackgroundService
{
    private static readonly TimeSpan Every = TimeSpan.FromSeconds(5);
    private const int AtOnce = 50;

    // Who sends while another does would send the same twice.
    private readonly SemaphoreSlim _sending = new(1);

    /// <summary>Sends everything that is due.</summary>
    public async Task SendDueAsync(CancellationToken stop)
    {
        await _sending.WaitAsync(stop);
        try
        {
            while (outgoing.Due(AtOnce) is { Count: > 0 } due)
            {
                foreach (var one in due)
                {
                    if (await TryAsync(one, stop) is { } problem) await outgoing.FailedAsync(one, problem);
                    else await outgoing.DoneAsync(one);
                }
            }
        }
        finally
        {
            _sending.Release();
        }
    }

    public override void Dispose()
    {
        _sending.Dispose();
        base.Dispose();
    }

    private async Task<string?> TryAsync(Outgoing one, CancellationToken stop)
    {
        if (one is { Kind: OutgoingKind.Postback, Source: { } network })
            return sources.Network(network)?.Postback is { } told ? await web.TellAsync(new(told.Fill(one.Postback)), stop) : null;
        var settings = optIns.Of(one.Step);
        if (one.Kind == OutgoingKind.Forward)
        {
            if (settings.ForwardTo is not { } address) return null;
            var form = settings.Fields.Select(field => (Name: field.Value, Value: field.Key == "email" ? one.Email : one.OptInFields.GetValueOrDefault(field.Key)))
                .Where(field => field.Value is not null).Select(field => KeyValuePair.Create(field.Name, field.Value!));
            return await web.PostFormAsync(address, form, stop);
        }
        if (one.Kind == OutgoingKind.Owner) return await MailAsync(new(one.Email, one.Mail.Subject, one.Mail.Words), stop);
        var link = $"{visitors.Origin}/confirm/{tickets.Issue(one.Step, one.Email)}";
        return await MailAsync(new(one.Email, settings.Subject, $"{settings.Words}\n\n{link}\n\nIf it was not you, leave this mail alone: nothing happens then.\n"), stop);
    }

    private async Task<string?> MailAsync(Letter letter, CancellationToken stop)
    {
        try
        {
            await mail.SendAsync(letter, time.GetUtcNow(), stop);
            return null;
        }
        catch (Exception error) when (error is IOException or InvalidOperationException or FormatException)
        {
            return error.Message;
        }
    }

    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        using var timer = new PeriodicTimer(Every, time);
        try
        {
            while (await timer.WaitForNextTickAsync(stoppingToken))
            {
                try
                {
                    await SendDueAsync(stoppingToken);
                }
                catch (Exception error) when (error is StoreException or SqliteException)
                {
                    // The store is not well; what is due stays due.
                }
            }
        }
        catch (OperationCanceledException)
        {
            // The program ends.
        }
    }
}
