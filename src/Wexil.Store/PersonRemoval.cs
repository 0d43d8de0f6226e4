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
    /// <summary>Events that know the person.</summary>
    /// <param name="Clicks">Visits that name an ad network's click.</param>
    private sealed record Traces(
        List<long> Sales,
        List<long> Confirmations,
        List<byte[]> Visitors,
        ILookup<string, (long Event, VisitNote Note)> Clicks
    );

    /// <returns>False when nobody has the address.</returns>
    public async Task<bool> RemoveAsync(string email)
    {
        // Found without keeping the writer from its visitors.
        var traces = database.Read(c => Find(c, email));
        var isFound = await journal.WriteAsync(c =>
        {
            ForgetOptIns(c, email);
            ForgetClicks(c, traces);
            foreach (var sale in traces.Sales)
                c.Execute("UPDATE events SET data = json_set(data, '$.Email', '') WHERE seq = $1", sale);
            foreach (var confirmation in traces.Confirmations)
                c.Execute("UPDATE events SET data = '' WHERE seq = $1", confirmation);
            c.Execute("DELETE FROM outgoing WHERE email = $1", email);
            return ForgetRows(c, email) > 0;
        });
        journal.EmptyLog();
        return isFound;
    }

    private static Traces Find(SqliteConnection c, string email)
    {
        var visitors = c.Rows(
            "SELECT DISTINCT visitor FROM leads WHERE email = $1 COLLATE NOCASE",
            row => (byte[])row.GetValue(0),
            email
        );
        return new(
            // An order's lines have the address too.
            c.Rows(
                "SELECT seq FROM events WHERE kind = $2 AND json_extract(data, '$.Email') = $1",
                row => row.GetInt64(0),
                email.ToLowerInvariant(),
                (int)EventKind.Sale
            ),
            c.Rows(
                "SELECT seq FROM events WHERE kind = $2 AND data = $1 COLLATE NOCASE",
                row => row.GetInt64(0),
                email,
                (int)EventKind.Confirmed
            ),
            visitors,
            visitors.SelectMany(visitor => Clicks(c, visitor)).ToLookup(click => click.Note.Click!.Value.Id)
        );
    }

    // All events are read through, but only for somebody who came by an ad network's click, and beside the writer.
    private static List<(long Event, VisitNote Note)> Clicks(SqliteConnection c, byte[] visitor) =>
        c.Rows(
            """
            SELECT seq, data
            FROM events
            WHERE visitor = $1 AND kind IN (1, 2, 3) AND instr(data, ' ') > 0
              AND EXISTS (SELECT 1 FROM ad_clicks WHERE visitor = $1)
            ORDER BY seq
            """,
            row => (row.GetInt64(0), VisitNote.Parse(row.GetString(1))),
            visitor
        );

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
        c.Execute("DELETE FROM leads WHERE email = $1 COLLATE NOCASE", email)
        + c.Execute("UPDATE orders SET email = '' WHERE email = $1", email.ToLowerInvariant())
        + c.Execute("DELETE FROM held_opt_ins WHERE email = $1 COLLATE NOCASE", email)
        + c.Execute("DELETE FROM people WHERE email = $1", email)
        + c.Execute("DELETE FROM person_tags WHERE email = $1", email);
}
