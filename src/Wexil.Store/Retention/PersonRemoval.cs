using Microsoft.Data.Sqlite;
using Wexil.Store.Recording;

namespace Wexil.Store.Retention;

/// <summary>
/// Removes a person: the address goes from every table and from the events themselves. What was counted stays counted,
/// of nobody, and follows from what is left of the events.
/// </summary>
public sealed class PersonRemoval(Database database, Journal journal)
{
    // A removal ends even if somebody types the same address all the time.
    private const int MostTries = 20;

    /// <returns>False when nobody has the address.</returns>
    public async Task<bool> RemoveAsync(string email) => await RemoveAsync([email]) > 0;

    /// <summary>Removes many at once: events are read through as often as for one.</summary>
    /// <returns>How many rows knew one of them.</returns>
    /// <exception cref="StoreException">They did something at every try.</exception>
    public async Task<int> RemoveAsync(IReadOnlyCollection<string> emails)
    {
        var names = new StandIns(emails);
        using var connection = database.OpenBeside();
        using var count = new SideCount(connection);
        for (var i = 0; i < MostTries; i++)
        {
            // Tables do not tell yet of what waits to be counted.
            await journal.WhenProjectedAsync();
            // Looked for beside the writer, which goes on recording visitors.
            var traces = await Task.Run(() => new PersonTraces(connection, count, names));
            if (await journal.WriteAsync(c => Remove(c, traces, names)) is not { } removed)
                continue;
            journal.EmptyLog();
            return removed;
        }
        throw new StoreException("This person is doing something here at this moment.");
    }

    private static int? Remove(SqliteConnection c, PersonTraces traces, StandIns names)
    {
        var known = names.Emails.Sum(email =>
            c.Number("SELECT count(*) FROM orders WHERE email = $1", email.ToLowerInvariant()) ?? 0
        );
        if (!traces.Remove(c))
            return null;
        foreach (var visitor in traces.Visitors)
            RemoveClicks(c, visitor);
        return (int)known + names.Emails.Sum(email => RemoveRows(c, email));
    }

    private static void RemoveClicks(SqliteConnection c, byte[] visitor)
    {
        c.Execute(
            """
            DELETE FROM outgoing
            WHERE id IN (SELECT o.id FROM ad_clicks k JOIN outgoing o ON o.source_id = k.source_id
              WHERE k.visitor = $1 AND json_extract(o.fields, '$.ClickId') = k.click_id)
            """,
            visitor
        );
        c.Execute("DELETE FROM ad_clicks WHERE visitor = $1", visitor);
    }

    private static int RemoveRows(SqliteConnection c, string email) =>
        c.Execute("DELETE FROM outgoing WHERE email = $1", email)
        + c.Execute("DELETE FROM leads WHERE email = $1 COLLATE NOCASE", email)
        + c.Execute("DELETE FROM held_opt_ins WHERE email = $1 COLLATE NOCASE", email)
        + c.Execute("DELETE FROM people WHERE email = $1", email)
        + c.Execute("DELETE FROM person_tags WHERE email = $1", email);
}
