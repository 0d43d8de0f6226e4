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

    /// <param name="Email">Whom a sale names; null for a claim.</param>
    private readonly record struct OrderEvent(long Number, string Order, DateTimeOffset At, string? Email);

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
        using var connection = database.OpenBeside();
        using var count = new SideCount(connection);
        var old = Events(connection)
            .GroupBy(one => one.Order)
            .Where(order => order.All(one => one.At < before) && order.Any(one => one.Email is { Length: > 0 }))
            .ToArray();
        foreach (var batch in old.Chunk(BatchSize))
        {
            stop.ThrowIfCancellationRequested();
            var names = new StandIns(
                batch
                    .SelectMany(order => order)
                    .Select(one => one.Email)
                    .OfType<string>()
                    .Where(email => email.Length > 0)
            );
            var removal = new BuyerTraces(connection, count, names).Removal(
                batch.SelectMany(order => order).Select(one => one.Number)
            );
            await journal.WriteAsync(removal);
        }
        if (old.Length > 0)
            journal.EmptyLog();
        return old.Sum(order => order.Count(one => one.Email is not null));
    }

    private static List<OrderEvent> Events(SqliteConnection connection) =>
        connection.Rows(
            """
            SELECT seq, iif(kind = $1, json_extract(data, '$.Order'), data), at,
              iif(kind = $1, json_extract(data, '$.Email'), NULL)
            FROM whole.events
            WHERE kind IN ($1, $2)
            """,
            row => new OrderEvent(row.GetInt64(0), row.GetString(1), row.Time(2), row.TextOrNull(3)),
            (int)EventKind.Sale,
            (int)EventKind.Claim
        );
}
