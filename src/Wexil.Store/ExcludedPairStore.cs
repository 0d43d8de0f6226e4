using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>Versions of two sections that are never shown together.</summary>
public sealed class ExcludedPairStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>The pairs on a step's pages.</summary>
    public IReadOnlyList<(PageId One, PageId Other)> On(StepId host) =>
        database.Read(c =>
            c.Rows(
                """
                SELECT e.first_id, e.second_id
                FROM steps s JOIN pages p ON p.step_id = s.id JOIN excluded_pairs e ON e.first_id = p.id
                WHERE s.host_id = $1
                ORDER BY e.first_id, e.second_id
                """,
                row => (new PageId(row.GetInt64(0)), new PageId(row.GetInt64(1))),
                host.Value
            )
        );

    /// <summary>
    /// Excludes a pair. Each running test on the step's sections goes on in a new phase: who counts in it is another
    /// question from then on.
    /// </summary>
    public Task ExcludeAsync(StepId host, PageId one, PageId other) =>
        journal.WriteAsync(c =>
        {
            var (first, second) = InOrder(one, other);
            if (c.Execute("INSERT OR IGNORE INTO excluded_pairs VALUES ($1, $2)", first, second) > 0)
                Settle(c, host, one, other, "are never shown together");
        });

    /// <summary>Lets a pair be shown together again.</summary>
    public Task AdmitAsync(StepId host, PageId one, PageId other) =>
        journal.WriteAsync(c =>
        {
            var (first, second) = InOrder(one, other);
            if (c.Execute("DELETE FROM excluded_pairs WHERE first_id = $1 AND second_id = $2", first, second) > 0)
                Settle(c, host, one, other, "may be shown together again");
        });

    private static (long First, long Second) InOrder(PageId one, PageId other) =>
        (Math.Min(one.Value, other.Value), Math.Max(one.Value, other.Value));

    private void Settle(SqliteConnection c, StepId host, PageId one, PageId other, string what)
    {
        journal.NoteRoutes(new(c.Number("SELECT funnel_id FROM steps WHERE id = $1", host.Value)!.Value));
        TestPhases.SettleSections(
            c,
            host,
            except: null,
            $"“{PageStore.Find(c, one)!.Name}” and “{PageStore.Find(c, other)!.Name}” {what}",
            time.GetUtcNow().ToUnixTimeMilliseconds()
        );
    }
}
