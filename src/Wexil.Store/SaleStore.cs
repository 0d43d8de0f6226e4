using System.Data;
using System.Text.Json;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>An order as the ledger shows it.</summary>
/// <param name="CountedIn">The owner's currency where a rate is known, else the order's.</param>
/// <param name="Worth">What is left of it in the owner's currency; null where no rate is known.</param>
/// <param name="Page">The page whose buy button was followed, by name; null where it is not known.</param>
/// <param name="IsCounted">The buyer is a visitor who counts; false for the owner's own visits, for robots, and where
/// the buyer is not known.</param>
/// <param name="Tested">The pages of running tests that it is credited to, by test and page.</param>
public sealed record LedgerOrder(
    string Order,
    DateTimeOffset At,
    string Currency,
    OrderBalance Balance,
    string CountedIn,
    long? Worth,
    IReadOnlyList<LedgerLine> Lines,
    string Email,
    string? Page,
    SaleChannel Channel,
    VisitorId? Visitor,
    bool IsCounted,
    IReadOnlyList<(string Test, string Page)> Tested
)
{
    /// <summary>It is known which visitor bought.</summary>
    public bool IsCredited => Visitor is not null;

    /// <summary>What was bought, by name; empty where nobody said.</summary>
    public string Products =>
        string.Join(
            ", ",
            Lines.Where(line => line is { IsSold: true, Product.Length: > 0 }).Select(line => line.Product)
        );
}

/// <summary>What an order brought with one product.</summary>
/// <param name="Counted">Its share of what is left of the order, in the currency that the order is counted in.</param>
/// <param name="Page">The page whose buy button was followed for it, by name; null where it is not known.</param>
public sealed record LedgerLine(string Product, bool IsSold, long Counted, string? Page);

/// <summary>Which orders are looked for.</summary>
/// <param name="Text">Begins the order's number, or stands in the product or the e-mail address; empty for all.</param>
/// <param name="IsCredited">Null for all.</param>
public sealed record LedgerFilter(DateTimeOffset From, DateTimeOffset Until, string Text = "", bool? IsCredited = null);

/// <summary>What orders brought in one currency.</summary>
/// <param name="Refunded">Of what was sold; what went back besides took nothing away.</param>
/// <param name="Valued">Orders for which a rate is known.</param>
/// <param name="Worth">What those brought in the owner's currency.</param>
public sealed record LedgerTotal(
    string Currency,
    long Orders,
    long Sold,
    long Refunded,
    long Net,
    long Valued,
    long Worth
);

/// <summary>By what orders are summed up.</summary>
public enum LedgerBy
{
    /// <summary>By what was bought; an order of two products counts in both.</summary>
    Product,

    /// <summary>By the page that sold it; an order from two pages counts in both.</summary>
    Page,

    /// <summary>By the page of each test that an order is credited to; one in two tests counts in both.</summary>
    Test,

    /// <summary>By the source that sent the buyer to the funnel of the page that sold.</summary>
    Source,
}

/// <summary>What orders of a kind brought.</summary>
/// <param name="Name">Empty where it is not known.</param>
/// <param name="Currency">The owner's where a rate is known, else the orders' own.</param>
public sealed record LedgerSum(string Name, string Currency, long Orders, long Net);

/// <summary>Records sales and refunds as events, and reads the ledger that is kept of them.</summary>
public sealed class SaleStore(Database database, Journal journal, TroubleLog troubles)
{
    private const string Columns = """
        SELECT o.order_id, o.at, o.currency, o.sold, o.refunded, o.email, p.name page_name, o.channel,
          o.visitor, o.counted_in, o.worth, o.source_id IS NOT NULL is_counted
        FROM orders o LEFT JOIN pages p ON p.id = o.page_id
        """;

    private const string Found = """
        AND (holds(substr(o.order_id, 1, length($3)), $3) OR holds(o.email, $3) OR EXISTS (
          SELECT 1 FROM order_lines l
          WHERE l.order_id = o.order_id AND l.currency = o.currency AND holds(l.product, $3)))
        """;

    private const string Asked = """
        (SELECT value ->> 0 order_id, value ->> 1 currency FROM json_each($1)) asked
        """;

    /// <summary>Stands for the sources of orders whose buyers are no counted visitors.</summary>
    public const string NotCounted = "Visits that are not counted";

    /// <summary>
    /// Records a sale or refund once, however often it is told. One that bears a rehearsal visitor's e-mail address is
    /// that visitor's, even where the token was lost on the way: nothing of a rehearsal is counted.
    /// </summary>
    /// <param name="visitor">Null where only the e-mail address, if any, can tell whose it is.</param>
    /// <param name="page">The page whose buy button was followed.</param>
    public async Task<Recorded> RecordAsync(SaleNotice notice, VisitorId? visitor, PageId? page, DateTimeOffset at)
    {
        var rehearsing = RehearsalEmail.Read(notice.Email);
        var whose = rehearsing ?? visitor ?? default;
        var recorded = await journal.AppendAsync(
            new(IdOf(notice), at, EventKind.Sale, whose, default, page ?? default, Data: notice.ToJson())
        );
        if (rehearsing is { } known && visitor is null)
            await ClaimAsync(notice.Order, known, at);
        return recorded;
    }

    /// <summary>
    /// The notice as it can be recorded: a refund that is told in another currency than its order's is worth what the
    /// owner's rates of the day make of it. Null where no rate is known. What waits for its order stays as it was told.
    /// </summary>
    /// <param name="besides">A currency in which the order is about to be recorded; null for none.</param>
    public SaleNotice? InCurrencyOfOrder(SaleNotice notice, DateOnly day, Currency own, string? besides = null)
    {
        if (notice.Kind != SaleKind.Refund)
            return notice;
        string[] known =
        [
            .. Find(notice.Order).Where(balance => balance.Value.Sold > 0).Select(balance => balance.Key),
        ];
        if (known.Length == 0 && besides is not null)
            known = [besides];
        if (known.Length == 0 || known.Contains(notice.Currency))
            return notice;
        var rates = database.Read(c => RateStore.Read(c, own));
        return rates.Convert(notice.Amount, notice.Currency, known[0], day) is { } amount
            ? notice with
            {
                Amount = amount,
                Currency = known[0],
            }
            : null;
    }

    /// <summary>
    /// Waits until what was recorded is counted, for a person who wants to see it; not for long where the store is not
    /// well.
    /// </summary>
    public async Task WhenCountedAsync()
    {
        var counted = journal.WhenProjectedAsync();
        await Task.WhenAny(counted, Task.Delay(TimeSpan.FromSeconds(2)));
    }

    /// <summary>Says whose an order is.</summary>
    public Task<Recorded> ClaimAsync(string order, VisitorId visitor, DateTimeOffset at) =>
        journal.AppendAsync(new(Guid.CreateVersion7(at), at, EventKind.Claim, visitor, default, default, Data: order));

    /// <summary>The newest orders first, at most so many.</summary>
    /// <param name="skip">Those before, which were shown already.</param>
    public IReadOnlyList<LedgerOrder> Orders(LedgerFilter filter, int limit, int skip = 0) =>
        database.Read(c =>
            WithParts(
                c,
                c.Rows(
                    $"{Columns} {Where(filter)} ORDER BY o.at DESC, o.order_id LIMIT $5 OFFSET $6",
                    Map,
                    [.. Values(filter), limit, skip]
                )
            )
        );

    /// <summary>One order in one currency; null when it is not known.</summary>
    public LedgerOrder? Order(string order, string currency) =>
        database.Read(c =>
            WithParts(c, c.Rows($"{Columns} WHERE o.order_id = $1 AND o.currency = $2", Map, order, currency))
                .SingleOrDefault()
        );

    /// <summary>What the orders that are looked for brought, by currency.</summary>
    public IReadOnlyList<LedgerTotal> Totals(LedgerFilter filter) =>
        database.Read(c =>
            c.Rows(
                $"""
                SELECT o.currency, count(*), sum(o.sold), sum(min(o.sold, o.refunded)),
                  sum(max(0, o.sold - o.refunded)), count(o.worth), coalesce(sum(o.worth), 0)
                FROM orders o {Where(filter)}
                GROUP BY o.currency
                ORDER BY o.currency
                """,
                row => new LedgerTotal(
                    row.GetString(0),
                    row.GetInt64(1),
                    row.GetInt64(2),
                    row.GetInt64(3),
                    row.GetInt64(4),
                    row.GetInt64(5),
                    row.GetInt64(6)
                ),
                Values(filter)
            )
        );

    /// <summary>
    /// What orders brought by product, by the page bought from, by the page of a test that they are credited to, or by
    /// source; the most first, at most fifty.
    /// </summary>
    public IReadOnlyList<LedgerSum> Sums(LedgerFilter filter, LedgerBy by) =>
        database.Read(c =>
            c.Rows(
                LedgerSums.Sql(by, Where(filter)),
                row => new LedgerSum(row.GetString(0), row.GetString(1), row.GetInt64(2), row.GetInt64(3)),
                Values(filter)
            )
        );

    /// <summary>Orders that nobody is credited with.</summary>
    public long Uncredited() => database.Read(c => c.Number("SELECT count(*) FROM orders WHERE visitor IS NULL") ?? 0);

    /// <summary>Orders that no rate is known for, by currency.</summary>
    public IReadOnlyList<(string Currency, long Orders)> Unrated() =>
        database.Read(c =>
            c.Rows(
                "SELECT currency, count(*) FROM orders WHERE worth IS NULL GROUP BY currency ORDER BY currency",
                row => (row.GetString(0), row.GetInt64(1))
            )
        );

    /// <summary>An order's balance by currency; empty where it is not known.</summary>
    public IReadOnlyDictionary<string, OrderBalance> Find(string order) =>
        database.Read(c =>
            c.Rows(
                    "SELECT currency, sold, refunded FROM orders WHERE order_id = $1",
                    row => (row.GetString(0), new OrderBalance(row.GetInt64(1), row.GetInt64(2))),
                    order
                )
                .ToDictionary()
        );

    /// <summary>
    /// Which of these tellings are recorded already. A sale without a line is its whole order: it is known once as much
    /// was sold in that order.
    /// </summary>
    public IReadOnlySet<SaleNotice> Told(IReadOnlyCollection<SaleNotice> notices) =>
        database.Read(c =>
            notices
                .Where(notice =>
                    IsTold(c, notice.Id())
                    || (notice.FormerId is { } former && IsTold(c, former))
                    || (notice is { Kind: SaleKind.Sale, Line: "" } && IsSold(c, notice))
                )
                .ToHashSet()
        );

    private Guid IdOf(SaleNotice notice)
    {
        try
        {
            return notice.FormerId is { } former && database.Read(c => IsTold(c, former)) ? former : notice.Id();
        }
        catch (SqliteException error)
        {
            // The sale is kept all the same: losing it is worse than counting it twice.
            troubles.Say("An earlier record of a sale could not be looked up", error);
            return notice.Id();
        }
    }

    private static bool IsTold(SqliteConnection c, Guid id) =>
        c.Number("SELECT count(*) FROM events WHERE id = $1", id.ToByteArray(bigEndian: true)) > 0;

    private static bool IsSold(SqliteConnection c, SaleNotice order) =>
        c.Number(
            "SELECT count(*) FROM orders WHERE order_id = $1 AND currency = $2 AND sold = $3",
            order.Order,
            order.Currency,
            order.Amount
        ) > 0;

    /// <summary>The visitor who gave an e-mail address last; null when nobody did.</summary>
    public VisitorId? VisitorOf(string email) =>
        database.Read(c =>
            c.Rows(
                    "SELECT visitor FROM leads WHERE email = $1 COLLATE NOCASE ORDER BY at DESC LIMIT 1",
                    row => new VisitorId(new Guid((byte[])row.GetValue(0), bigEndian: true)),
                    email
                )
                .Select(found => (VisitorId?)found)
                .FirstOrDefault()
        );

    // Sums over a time alone are read from an index that has all they need.
    private static string Where(LedgerFilter filter) =>
        $"WHERE o.at >= $1 AND o.at < $2 {(filter.Text.Length > 0 ? Found : "")} "
        + (filter.IsCredited is null ? "" : "AND (o.visitor IS NOT NULL) = $4");

    private static object?[] Values(LedgerFilter filter) =>
        [
            filter.From.ToUnixTimeMilliseconds(),
            filter.Until.ToUnixTimeMilliseconds(),
            filter.Text,
            filter.IsCredited is { } credited
                ? credited
                    ? 1
                    : 0
                : null,
        ];

    private static LedgerOrder Map(SqliteDataReader row)
    {
        var visitor = row.IsDBNull("visitor") ? null : (byte[])row.GetValue("visitor");
        return new(
            row.GetString("order_id"),
            row.Time("at"),
            row.GetString("currency"),
            new(row.GetInt64("sold"), row.GetInt64("refunded")),
            row.GetString("counted_in"),
            row.NumberOrNull("worth"),
            [],
            row.GetString("email"),
            row.TextOrNull("page_name"),
            Enum.Parse<SaleChannel>(row.GetString("channel")),
            visitor is null ? null : new VisitorId(new Guid(visitor, bigEndian: true)),
            row.GetBoolean("is_counted"),
            []
        );
    }

    /// <summary>The orders with their products and the pages of tests, all read at once.</summary>
    private static IReadOnlyList<LedgerOrder> WithParts(SqliteConnection c, IReadOnlyList<LedgerOrder> orders)
    {
        var keys = JsonSerializer.Serialize(orders.Select(order => new[] { order.Order, order.Currency }));
        var (lines, tested) = (Lines(c, keys), Tested(c, keys));
        return
        [
            .. orders.Select(order =>
                order with
                {
                    Lines = [.. lines[(order.Order, order.Currency)]],
                    Tested = [.. tested[(order.Order, order.Currency)]],
                }
            ),
        ];
    }

    /// <param name="keys">Numbers and currencies of orders, as JSON.</param>
    private static ILookup<(string Order, string Currency), LedgerLine> Lines(SqliteConnection c, string keys) =>
        c.Rows(
                $"""
                SELECT l.order_id, l.currency, l.product, l.sold > 0, l.counted, p.name
                FROM {Asked} JOIN order_lines l ON l.order_id = asked.order_id AND l.currency = asked.currency
                LEFT JOIN pages p ON p.id = l.page_id
                ORDER BY l.order_id, l.currency, l.number
                """,
                row =>
                    (
                        Key: (row.GetString(0), row.GetString(1)),
                        Line: new LedgerLine(
                            row.GetString(2),
                            row.GetBoolean(3),
                            row.GetInt64(4),
                            row.TextOrNull("name")
                        )
                    ),
                keys
            )
            .ToLookup(row => row.Key, row => row.Line);

    /// <param name="keys">Numbers and currencies of orders, as JSON.</param>
    private static ILookup<(string Order, string Currency), (string Test, string Page)> Tested(
        SqliteConnection c,
        string keys
    ) =>
        c.Rows(
                $"""
                SELECT o.order_id, o.currency, t.name, p.name
                FROM {Asked} JOIN order_tests o ON o.order_id = asked.order_id AND o.currency = asked.currency
                JOIN tests t ON t.id = o.test_id
                JOIN pages p ON p.id = o.page_id
                ORDER BY t.id
                """,
                row => (Key: (row.GetString(0), row.GetString(1)), Test: (row.GetString(2), row.GetString(3))),
                keys
            )
            .ToLookup(row => row.Key, row => row.Test);
}
