using System.Text.Json;
using Microsoft.Data.Sqlite;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>
/// Removes a person: the address goes from every table and from the events themselves. What was counted stays counted,
/// of nobody.
/// </summary>
public sealed class PersonRemoval(Database database, Journal journal)
{
    /// <summary>Takes the address out of the event of a sale.</summary>
    internal const string ForgetBuyer = "UPDATE events SET data = json_set(data, '$.Email', '') WHERE seq = $1";

    /// <summary>Events that know the person.</summary>
    /// <param name="Clicks">Visits that name an ad network's click.</param>
    private sealed record Traces(
        List<long> Sales,
        List<long> Confirmations,
        List<byte[]> Visitors,
        ILookup<string, (long Event, VisitNote Note)> Clicks
    );

    /// <returns>False when nobody has the address.</returns>
    public async Task<bool> RemoveAsync(string email) => await RemoveAsync([email]) > 0;

    /// <summary>Removes many at once: events are read through as often as for one.</summary>
    /// <returns>How many rows knew one of them.</returns>
    public async Task<int> RemoveAsync(IReadOnlyCollection<string> emails)
    {
        // Found without keeping the writer from its visitors.
        var traces = database.Read(c => Find(c, JsonSerializer.Serialize(emails)));
        var removed = await journal.WriteAsync(c =>
        {
            foreach (var email in emails)
                ForgetOptIns(c, email);
            ForgetClicks(c, traces);
            foreach (var sale in traces.Sales)
                c.Execute(ForgetBuyer, sale);
            foreach (var confirmation in traces.Confirmations)
                c.Execute("UPDATE events SET data = '' WHERE seq = $1", confirmation);
            return emails.Sum(email => ForgetRows(c, email));
        });
        journal.EmptyLog();
        return removed;
    }

    private static Traces Find(SqliteConnection c, string emails)
    {
        var visitors = c.Rows(
            """
            SELECT DISTINCT visitor
            FROM leads
            WHERE email COLLATE NOCASE IN (SELECT value FROM json_each($1))
            """,
            row => (byte[])row.GetValue(0),
            emails
        );
        return new(
            // An order's lines have the address too.
            c.Rows(
                """
                SELECT seq
                FROM events
                WHERE kind = $2 AND json_extract(data, '$.Email') IN (SELECT lower(value) FROM json_each($1))
                """,
                row => row.GetInt64(0),
                emails,
                (int)EventKind.Sale
            ),
            c.Rows(
                """
                SELECT seq
                FROM events
                WHERE kind = $2 AND data COLLATE NOCASE IN (SELECT value FROM json_each($1))
                """,
                row => row.GetInt64(0),
                emails,
                (int)EventKind.Confirmed
            ),
            visitors,
            Clicks(c, visitors).ToLookup(click => click.Note.Click!.Value.Id)
        );
    }

    // All events are read through, but only where one of them came by an ad network's click, and beside the writer.
    private static List<(long Event, VisitNote Note)> Clicks(SqliteConnection c, IEnumerable<byte[]> visitors)
    {
        var clicked = visitors.Where(visitor =>
            c.Number("SELECT EXISTS (SELECT 1 FROM ad_clicks WHERE visitor = $1)", visitor) > 0
        );
        var json = JsonSerializer.Serialize(clicked.Select(Convert.ToHexString));
        if (json == "[]")
            return [];
        return c.Rows(
            """
            SELECT seq, data
            FROM events
            WHERE kind IN (1, 2, 3) AND instr(data, ' ') > 0
              AND visitor IN (SELECT unhex(value) FROM json_each($1))
            ORDER BY seq
            """,
            row => (row.GetInt64(0), VisitNote.Parse(row.GetString(1))),
            json
        );
    }

    private static void ForgetOptIns(SqliteConnection c, string email)
    {
        var events = c.Rows(
            "SELECT event_id FROM leads WHERE email = $1 COLLATE NOCASE",
            row => (byte[])row.GetValue(0),
            email
        );
        foreach (var id in events)
            c.Execute("UPDATE events SET data = '' WHERE id = $1", id);
    }

    // By its name of the click, an ad network would know who it was. What the click cost stays, once.
    private static void ForgetClicks(SqliteConnection c, Traces traces)
    {
        foreach (var click in traces.Clicks)
        {
            var first = click.First().Event;
            foreach (var (seq, note) in click)
            {
                AdClick? left = seq == first ? note.Click!.Value with { Id = "" } : null;
                c.Execute("UPDATE events SET data = $2 WHERE seq = $1", seq, (note with { Click = left }).ToString());
            }
            c.Execute(
                "DELETE FROM outgoing WHERE source_id IS NOT NULL AND json_extract(fields, '$.ClickId') = $1",
                click.Key
            );
        }
        foreach (var visitor in traces.Visitors)
            c.Execute("DELETE FROM ad_clicks WHERE visitor = $1", visitor);
    }

    private static int ForgetRows(SqliteConnection c, string email) =>
        c.Execute("DELETE FROM outgoing WHERE email = $1", email)
        + c.Execute("DELETE FROM leads WHERE email = $1 COLLATE NOCASE", email)
        + c.Execute("UPDATE orders SET email = '' WHERE email = $1", email.ToLowerInvariant())
        + c.Execute("DELETE FROM held_opt_ins WHERE email = $1 COLLATE NOCASE", email)
        + c.Execute("DELETE FROM people WHERE email = $1", email)
        + c.Execute("DELETE FROM person_tags WHERE email = $1", email);
}
