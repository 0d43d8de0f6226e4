using System.Data;
using Microsoft.Data.Sqlite;
using Wexil.Store.Recording;

namespace Wexil.Store.Team;

/// <summary>What somebody did in Studio.</summary>
/// <param name="Who">The member's name then.</param>
/// <param name="Deed">In words, such as "Started a test".</param>
/// <param name="Subject">What it was done to, by its name then; may be empty.</param>
/// <param name="Link">The screen, from the slash; may be empty.</param>
/// <param name="Address">Where it came from; may be empty.</param>
public sealed record AuditEntry(DateTimeOffset At, string Who, string Deed, string Subject, string Link, string Address)
{
    /// <summary>Names it, in the order of time.</summary>
    public long Id { get; init; }
}

/// <summary>Keeps who did what. Entries are added and read; the data file refuses anything else.</summary>
public sealed class AuditLog(Database database, Journal journal)
{
    private const int MaxText = 300;

    /// <summary>Adds an entry; a text that is longer than 300 characters is cut.</summary>
    public Task AddAsync(AuditEntry entry) =>
        journal.WriteAsync(c =>
            c.Execute(
                "INSERT INTO audit_log (at, who, deed, subject, link, address) VALUES ($1, $2, $3, $4, $5, $6)",
                entry.At.ToUnixTimeMilliseconds(),
                Cut(entry.Who),
                Cut(entry.Deed),
                Cut(entry.Subject),
                Cut(entry.Link),
                Cut(entry.Address)
            )
        );

    /// <summary>The newest first.</summary>
    /// <param name="words">Each is in what was done, to what, by whom or from where.</param>
    /// <param name="before">Only entries before this one.</param>
    /// <param name="most">How many at most.</param>
    public IReadOnlyList<AuditEntry> Find(IReadOnlyList<string> words, long before, int most)
    {
        var holds = words.Select(
            (_, i) => $"AND holds(who || ' ' || deed || ' ' || subject || ' ' || address, ${i + 3})"
        );
        return database.Read(c =>
            c.Rows(
                $"SELECT * FROM audit_log WHERE id < $1 {string.Join(' ', holds)} ORDER BY id DESC LIMIT $2",
                Read,
                [before, most, .. words]
            )
        );
    }

    private static AuditEntry Read(SqliteDataReader row) =>
        new(
            row.Time("at"),
            row.GetString("who"),
            row.GetString("deed"),
            row.GetString("subject"),
            row.GetString("link"),
            row.GetString("address")
        )
        {
            Id = row.GetInt64("id"),
        };

    private static string Cut(string text) => text.Length > MaxText ? text[..MaxText] : text;
}
