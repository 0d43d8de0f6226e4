using Wexil.Store;
using Wexil.Store.Team;

namespace Wexil.Web.Studio.Auditing;

/// <summary>Writes down who did what, when and from where.</summary>
public sealed partial class AuditTrail(AuditLog log, TimeProvider time, ILogger<AuditTrail> logger)
{
    private static readonly object DetailKey = new();

    /// <summary>Adds to what a request is doing what only its handler knows, such as the name of a test.</summary>
    public static void Detail(HttpContext http, string detail) => http.Items[DetailKey] = detail;

    /// <inheritdoc cref="Detail"/>
    public static string? DetailOf(HttpContext http) => http.Items[DetailKey] as string;

    /// <summary>Writes a deed of whoever is signed in.</summary>
    /// <param name="subject">What it was done to, by name; may be empty.</param>
    /// <param name="link">The screen; may be empty.</param>
    public Task NoteAsync(HttpContext http, string deed, string subject, string link = "") =>
        NoteAsync(http, http.User.Identity?.Name ?? "somebody", deed, subject, link);

    /// <summary>Writes a deed of somebody who is not signed in yet.</summary>
    public async Task NoteAsync(HttpContext http, string who, string deed, string subject, string link)
    {
        try
        {
            var address = http.Connection.RemoteIpAddress?.ToString() ?? "";
            await log.AddAsync(new(time.GetUtcNow(), who, deed, subject, link, address));
        }
        catch (StoreException error)
        {
            // What was done is done, and signing in has to work on a full disk too.
            NotLogged(who, deed, subject, error);
        }
    }

    [LoggerMessage(LogLevel.Warning, "Not in the activity log: {Who}, {Deed}, {Subject}")]
    private partial void NotLogged(string who, string deed, string subject, Exception error);
}
