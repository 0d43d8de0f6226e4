using Microsoft.Data.Sqlite;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Retention;

/// <summary>
/// Forgets who people were that have done nothing for long, and who placed orders long ago. What they did stays
/// counted.
/// </summary>
public sealed class OldPeople(Database database, Journal journal, PersonRemoval removal)
{
    private const int BatchSize = 200;

    private const string Silent = """
        FROM (
          SELECT lower(email) email, max(at, coalesce(confirmed_at, 0)) at FROM leads WHERE email <> ''
          UNION ALL SELECT lower(email), added_at FROM people
          UNION ALL SELECT lower(email), at FROM orders WHERE email <> ''
        )
        GROUP BY email
        HAVING max(at) < $1
        """;

    private readonly record struct SaleEvent(long Number, string Order, DateTimeOffset At, bool HasBuyer);

    /// <summary>How many people have done nothing since a moment.</summary>
    public long CountSilent(DateTimeOffset before) =>
        database.Read(c => c.Number($"SELECT count(*) FROM (SELECT 1 {Silent})", before.ToUnixTimeMilliseconds()) ?? 0);

    /// <summary>Removes those who have done nothing since a moment.</summary>
    /// <returns>Their addresses.</returns>
    public async Task<IReadOnlyList<string>> RemoveSilentAsync(DateTimeOffset before, CancellationToken stop = default)
    {
        var silent = database.Read(c =>
            c.Rows($"SELECT email {Silent}", row => row.GetString(0), before.ToUnixTimeMilliseconds())
        );
        foreach (var batch in silent.Chunk(BatchSize))
        {
            stop.ThrowIfCancellationRequested();
            await removal.RemoveAsync(batch);
        }
        return silent;
    }

    /// <summary>How many orders from before a moment still have their buyer's address.</summary>
    public long CountBuyers(DateTimeOffset before) =>
        database.Read(c =>
            c.Number("SELECT count(*) FROM orders WHERE at < $1 AND email <> ''", before.ToUnixTimeMilliseconds()) ?? 0
        );

    /// <summary>
    /// Takes the address out of orders of which nothing was heard since a moment, neither a line nor a refund.
    /// </summary>
    /// <returns>Of how many sales and refunds.</returns>
    public async Task<int> ForgetBuyersAsync(DateTimeOffset before, CancellationToken stop = default)
    {
        var old = database
            .Read(Sales)
            .GroupBy(sale => sale.Order)
            .Where(order => order.All(sale => sale.At < before) && order.Any(sale => sale.HasBuyer))
            .ToArray();
        foreach (var batch in old.Chunk(BatchSize))
        {
            stop.ThrowIfCancellationRequested();
            await journal.WriteAsync(c =>
            {
                foreach (var order in batch)
                {
                    c.Execute("UPDATE orders SET email = '' WHERE order_id = $1", order.Key);
                    foreach (var sale in order)
                        c.Execute(PersonRemoval.ForgetBuyer, sale.Number);
                }
            });
        }
        if (old.Length > 0)
            journal.EmptyLog();
        return old.Sum(order => order.Count());
    }

    private static List<SaleEvent> Sales(SqliteConnection c) =>
        c.Rows(
            """
            SELECT seq, json_extract(data, '$.Order'), at, json_extract(data, '$.Email') <> ''
            FROM events
            WHERE kind = $1
            """,
            row => new SaleEvent(row.GetInt64(0), row.GetString(1), row.Time(2), row.GetBoolean(3)),
            (int)EventKind.Sale
        );
}
