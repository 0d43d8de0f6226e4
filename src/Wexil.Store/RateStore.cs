using System.Globalization;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Store.Recording;
using Wexil.Store.Recording.Projection;

namespace Wexil.Store;

/// <summary>The owner's exchange rates. Orders are counted anew with every change of them.</summary>
public sealed class RateStore(Database database, Journal journal, SettingStore settings)
{
    /// <summary>The rates into the currency that the owner counts in; by currency, the newest first.</summary>
    public IReadOnlyList<ExchangeRate> All() => database.Read(c => Rows(c, settings.Currency));

    /// <summary>Sets a rate from a day on; another one of the same day is replaced.</summary>
    public Task SetAsync(ExchangeRate rate) => journal.WriteAsync(c => Recount(c, () => c.Execute(
                    """
                    INSERT INTO rates (currency, own, since, worth) VALUES ($1, $2, $3, $4)
                    ON CONFLICT DO UPDATE SET worth = excluded.worth
                    """,
                    rate.Currency.Code,
                    settings.Currency.Code,
                    Written(rate.From),
                    rate.Worth.ToString(CultureInfo.InvariantCulture)
                )));

    /// <summary>Takes a rate out; orders since are worth what the rate before says.</summary>
    public Task DropAsync(Currency currency, DateOnly from) =>
        journal.WriteAsync(c =>
            Recount(c, () =>
                c.Execute(
                    "DELETE FROM rates WHERE currency = $1 AND own = $2 AND since = $3",
                    currency.Code,
                    settings.Currency.Code,
                    Written(from)
                )
            )
        );

    /// <summary>
    /// What an amount is worth in the owner's currency's smallest unit by the rate of its day; null where there is no
    /// rate.
    /// </summary>
    /// <param name="amount">In the smallest unit of its own currency.</param>
    public long? Worth(long amount, Currency currency, DateTimeOffset at) =>
        database
            .Read(c => Read(c, settings.Currency))
            .Worth(currency.Code, amount, DateOnly.FromDateTime(TimeZoneInfo.ConvertTime(at, settings.Zone).DateTime));

    internal static ExchangeRates Read(SqliteConnection connection, Currency own) => new(own, Rows(connection, own));

    /// <summary>
    /// Makes a change after which orders may be worth something else, and counts those anew, all in the same
    /// transaction.
    /// </summary>
    internal static void Recount(SqliteConnection connection, Action change)
    {
        var before = new ProjectionContext(connection);
        change();
        var after = new ProjectionContext(connection);
        string[] concerned =
        [
            .. before.RatedCurrencies.Union(after.RatedCurrencies).Append(before.Own).Append(after.Own),
        ];
        // Where the owner's currency is the same, what was sold in it is worth the same.
        if (before.Own == after.Own)
            concerned = [.. concerned.Where(currency => currency != after.Own)];
        Value(connection, concerned.Distinct(), before, after);
        connection.Execute("DELETE FROM money_tallies WHERE orders = 0 AND earned = 0");
        connection.Execute("DELETE FROM source_money WHERE orders = 0 AND earned = 0");
    }

    private static void Value(
        SqliteConnection connection,
        IEnumerable<string> currencies,
        ProjectionContext before,
        ProjectionContext after
    )
    {
        using var rows = new VisitorRows(connection);
        using var sales = new SaleProjection(connection, rows);
        using var goals = new GoalProjection(connection);
        using var tests = new TestProjection(connection, rows);
        foreach (var currency in currencies)
        {
            foreach (var order in OrdersIn(connection, currency))
                if (sales.Value(order, currency, before.Own, after) is { } moved)
                    Meet(moved, order);
        }
        sales.Settle(after);
        sales.Write();
        goals.Write();

        void Meet(CreditedSale moved, string order)
        {
            foreach (var test in moved.Tests)
            {
                foreach (var goal in after.SaleGoals(test))
                    if (
                        moved.To(goal.Goal).Worth is not 0 and var worth
                        && tests.Find(test, moved.Visitor) is { } place
                    )
                        goals.Meet(goal, place, new(moved.Visitor, moved.At, 0, worth, order));
            }
        }
    }

    private static List<string> OrdersIn(SqliteConnection connection, string currency) =>
        connection.Rows("SELECT order_id FROM orders WHERE currency = $1", row => row.GetString(0), currency);

    private static IReadOnlyList<ExchangeRate> Rows(SqliteConnection connection, Currency own) =>
        [
            .. connection
                .Rows(
                    "SELECT currency, since, worth FROM rates WHERE own = $1 ORDER BY currency, since DESC",
                    row =>
                        (
                            Currency: Currency.Find(row.GetString(0)),
                            From: DateOnly.ParseExact(row.GetString(1), "yyyy-MM-dd", CultureInfo.InvariantCulture),
                            Worth: decimal.Parse(row.GetString(2), CultureInfo.InvariantCulture)
                        ),
                    own.Code
                )
                .Where(row => row.Currency is not null)
                .Select(row => new ExchangeRate(row.Currency!, row.From, row.Worth)),
        ];

    private static string Written(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
}
