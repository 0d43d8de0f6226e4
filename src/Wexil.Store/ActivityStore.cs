using Microsoft.Data.Sqlite;
using Wexil.Core.Common;

namespace Wexil.Store;

/// <summary>Reads what a person did.</summary>
public sealed class ActivityStore(Database database)
{
    private sealed record Lead(DateTimeOffset At, string Page, byte[] Visitor, DateTimeOffset? Confirmed);

    /// <summary>The newest first, as far as it is kept of somebody.</summary>
    /// <param name="email">Capitals or not.</param>
    public IReadOnlyList<Activity> For(string email) =>
        database.Read(c =>
        {
            var leads = Leads(c, email);
            var confirmed = leads.FirstOrDefault(lead => lead.Confirmed is not null)?.Confirmed;
            var visitors = leads.Select(lead => lead.Visitor).DistinctBy(Convert.ToHexString);
            Activity[] all =
            [
                .. leads.Select(lead => new Activity.OptedIn(lead.At, lead.Page)),
                .. confirmed is { } at ? [new Activity.ConfirmedAddress(at)] : Array.Empty<Activity>(),
                .. visitors.SelectMany(visitor => Enrolments(c, visitor).Concat(Orders(c, "visitor = $1", visitor))),
                .. Orders(c, "visitor IS NULL AND email = $1", email.ToLowerInvariant()),
                .. TakenIn(c, email),
            ];
            return all.OrderByDescending(activity => activity.At).ToArray();
        });

    private static List<Lead> Leads(SqliteConnection c, string email) =>
        c.Rows(
            """
            SELECT l.at, p.name, l.visitor, l.confirmed_at
            FROM leads l JOIN pages p ON p.id = l.page_id
            WHERE l.email = $1 COLLATE NOCASE
            """,
            row => new Lead(row.Time(0), row.GetString(1), (byte[])row.GetValue(2), row.TimeOrNull(3)),
            email
        );

    private static IEnumerable<Activity> Enrolments(SqliteConnection c, byte[] visitor)
    {
        var enrolments = c.Rows(
            """
            SELECT e.at, p.name, t.name, e.converted_at
            FROM enrolments e JOIN tests t ON t.id = e.test_id
            JOIN pages p ON p.id = e.page_id
            WHERE e.visitor = $1
            """,
            row => (At: row.Time(0), Page: row.GetString(1), Test: row.GetString(2), Converted: row.TimeOrNull(3)),
            visitor
        );
        foreach (var (at, page, test, converted) in enrolments)
        {
            yield return new Activity.ShownPage(at, page, test);
            if (converted is { } then)
                yield return new Activity.Converted(then, test);
        }
    }

    private static List<Activity.Bought> Orders(SqliteConnection c, string condition, object value) =>
        c.Rows(
            $"""
            SELECT o.at, o.order_id, coalesce((
                SELECT group_concat(l.product, ', ' ORDER BY l.number)
                FROM order_lines l
                WHERE l.order_id = o.order_id AND l.currency = o.currency AND l.sold > 0 AND l.product <> ''), ''),
              o.currency, o.sold, o.refunded
            FROM orders o
            WHERE {condition}
            """,
            row => new Activity.Bought(
                row.Time(0),
                row.GetString(1),
                row.GetString(2),
                Currency.Find(row.GetString(3)) ?? Currency.Default,
                new(row.GetInt64(4), row.GetInt64(5))
            ),
            value
        );

    private static List<Activity.TakenIn> TakenIn(SqliteConnection c, string email) =>
        c.Rows("SELECT added_at FROM people WHERE email = $1", row => new Activity.TakenIn(row.Time(0)), email);
}
