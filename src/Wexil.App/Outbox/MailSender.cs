using System.Net.Sockets;
using MailKit.Net.Smtp;
using MailKit.Security;
using MimeKit;

namespace Wexil.App.Outbox;

/// <summary>A mail as the owner sees it before it is one.</summary>
public sealed record Letter(string To, string Subject, string Words);

/// <summary>A mail that lies in the simulated outbox.</summary>
public sealed record OutboxLetter(string File, DateTimeOffset At, string To, string Subject, string Words);

/// <summary>A mail that did not go out; the message says why, for the owner.</summary>
public sealed class MailException(string message, Exception inner) : Exception(message, inner)
{
    /// <summary>Whatever else is sent will fare no better for a while.</summary>
    public bool IsServerDown =>
        InnerException
            is not (
                FormatException
                or SmtpCommandException
                {
                    ErrorCode: SmtpErrorCode.RecipientNotAccepted or SmtpErrorCode.MessageNotAccepted
                }
            );
}

/// <summary>
/// Sends mail by the owner's SMTP server; where none is named, mail is simulated and lies as .eml files in the data
/// folder.
/// </summary>
public sealed class MailSender(MailOptions options)
{
    // All that a server says while one mail is handed over is a few lines.
    private const int MaxCount = 200,
        MostFromServer = 1 << 20;

    /// <summary>No mail server is named: mail lies in the data folder.</summary>
    public bool IsSimulated => options.Smtp is null;

    /// <exception cref="MailException">The mail did not go out; says why.</exception>
    /// <exception cref="OperationCanceledException">It was stopped.</exception>
    public async Task SendAsync(Letter letter, DateTimeOffset at, CancellationToken stop)
    {
        using var limit = CancellationTokenSource.CreateLinkedTokenSource(stop);
        limit.CancelAfter(options.Patience);
        try
        {
            using var message = new MimeMessage
            {
                Subject = letter.Subject,
                Date = at,
                Body = new TextPart("plain") { Text = letter.Words },
            };
            message.From.Add(MailboxAddress.Parse(options.From));
            message.To.Add(MailboxAddress.Parse(letter.To));
            if (options.Smtp is not { } smtp)
            {
                Directory.CreateDirectory(options.Folder);
                await message.WriteToAsync(
                    Path.Combine(options.Folder, $"{at:yyyyMMdd-HHmmss-fff}-{Guid.NewGuid():N}.eml"),
                    limit.Token
                );
            }
            else
                await SendAsync(smtp, message, limit.Token);
        }
        catch (Exception error) when (!stop.IsCancellationRequested)
        {
            throw new MailException(
                error switch
                {
                    OperationCanceledException or TimeoutException =>
                        $"The mail server did not respond within {options.Patience.TotalSeconds:0} seconds.",
                    _ when IsSimulated => $"The e-mail cannot be written to the outbox: {error.Message}",
                    _ => $"Error from the mail server: {error.Message}",
                },
                error
            );
        }
    }

    private async Task SendAsync(Uri server, MimeMessage message, CancellationToken stop)
    {
        using var client = new SmtpClient { Timeout = (int)options.Patience.TotalMilliseconds };
        using var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
        await socket.ConnectAsync(server.Host, server.Port, stop);
        await using var connection = new ReadLimitedStream(new NetworkStream(socket), MostFromServer);
        await client.ConnectAsync(connection, server.Host, server.Port, Security(server), stop);
        if (server.UserInfo.Split(':', 2) is [var user, var password])
            await client.AuthenticateAsync(Uri.UnescapeDataString(user), Uri.UnescapeDataString(password), stop);
        await client.SendAsync(message, stop);
        await client.DisconnectAsync(true, stop);
    }

    private SecureSocketOptions Security(Uri server) =>
        server.Scheme == "smtps" ? SecureSocketOptions.SslOnConnect
        : options.NeedsEncryption ? SecureSocketOptions.StartTls
        : SecureSocketOptions.StartTlsWhenAvailable;

    /// <summary>Deletes what lies in the simulated outbox for somebody.</summary>
    /// <param name="address">Capitals or not.</param>
    public void Forget(string address)
    {
        if (!Directory.Exists(options.Folder))
            return;
        foreach (var file in Directory.EnumerateFiles(options.Folder, "*.eml").ToArray())
        {
            using var message = MimeMessage.Load(file);
            var isTheirs = message.To.Mailboxes.Any(to =>
                string.Equals(to.Address, address, StringComparison.OrdinalIgnoreCase)
            );
            if (isTheirs)
                File.Delete(file);
        }
    }

    /// <summary>What lies in the simulated outbox, the newest first.</summary>
    public IReadOnlyList<OutboxLetter> Simulated()
    {
        if (!Directory.Exists(options.Folder))
            return [];
        return
        [
            .. Directory
                .EnumerateFiles(options.Folder, "*.eml")
                .OrderDescending(StringComparer.Ordinal)
                .Take(MaxCount)
                .Select(file =>
                {
                    using var message = MimeMessage.Load(file);
                    return new OutboxLetter(
                        Path.GetFileName(file),
                        message.Date,
                        message.To.ToString(),
                        message.Subject ?? "",
                        message.TextBody ?? ""
                    );
                }),
        ];
    }
}
