using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>Somebody whose e-mail address is known.</summary>
/// <param name="Page">The page that won them last; empty for who was taken in from a file.</param>
/// <param name="Source">The source that sent them; empty where none is known.</param>
/// <param name="Tags">By hand and by rule.</param>
public sealed record Person(string Email, DateTimeOffset At, string Page, string Source, IReadOnlyList<string> Tags);

/// <summary>Which people are looked for.</summary>
/// <param name="Text">A part of the address; empty for all.</param>
/// <param name="Tag">Who has the tag, by hand or by rule; empty for all.</param>
/// <param name="Page">Who was won by the page; null for all.</param>
public sealed record PeopleFilter(string Text = "", string Tag = "", PageId? Page = null);

/// <summary>Something that somebody did.</summary>
public sealed record Activity(DateTimeOffset At, string What);

/// <summary>A tag that whoever saw a page of a test has by itself.</summary>
public sealed record TagRule(string Tag, TestId Test, PageId Page, string Words);

/// <summary>People who opted in or were taken in: what they did, their tags, and their removal.</summary>
public sealed class PeopleStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>In characters.</summary>
    public const int MaxTagLength = 40;

    /// <summary>Beyond so many, people are not counted to the last.</summary>
    public const int MaxCounted = 10_000;

    private const int ChunkSize = 200;

    // The newest opt-in of each address. Walked in the order of time, so that the newest hundred cost a hundred.
    private const string OptedIn = """
        FROM leads l LEFT JOIN pages p ON p.id = l.page_id
        WHERE l.email <> '' AND ($1 = '' OR instr(lower(l.email), $1) > 0) AND ($2 IS NULL OR l.page_id = $2)
          AND ($3 = '' OR EXISTS (SELECT 1 FROM person_tags t WHERE t.email = l.email AND t.tag = $3)
            OR EXISTS (SELECT 1 FROM tag_rules r JOIN enrolments n ON n.test_id = r.test_id
              AND n.page_id = r.page_id WHERE r.tag = $3 AND n.visitor = l.visitor))
          AND NOT EXISTS (SELECT 1 FROM leads later WHERE later.email = l.email COLLATE NOCASE
            AND (later.at, later.event_id) > (l.at, l.event_id))
        """;

    // Who was only taken in.
    private const string TakenIn = """
        FROM people a
        WHERE ($1 = '' OR instr(lower(a.email), $1) > 0) AND $2 IS NULL
          AND ($3 = '' OR EXISTS (SELECT 1 FROM person_tags t WHERE t.email = a.email AND t.tag = $3))
          AND NOT EXISTS (SELECT 1 FROM leads l WHERE l.email = a.email COLLATE NOCASE)
        """;

    private const string Source = """
        coalesce((SELECT s.name FROM visitors v JOIN sources s ON s.id = v.source_id
          WHERE v.visitor = l.visitor LIMIT 1), '')
        """;

    /// <param name="Id">What tells people of one moment apart: the event's id, or the address.</param>
    private sealed record Row(Person Person, byte[]? Visitor, object Id);

    /// <summary>The newest first, at most so many, after so many others.</summary>
    public IReadOnlyList<Person> Find(PeopleFilter filter, int limit, int skip = 0) =>
        Tagged([.. Walk(filter).Skip(skip).Take(limit)]);

    /// <summary>All of them, the newest first, some at a time.</summary>
    public IEnumerable<IReadOnlyList<Person>> Chunks(PeopleFilter filter) =>
        Walk(filter).Chunk(ChunkSize).Select(Tagged);

    /// <summary>How many there are, counted no further than a little past <see cref="MaxCounted"/>.</summary>
    public long Count(PeopleFilter filter) =>
        database.Read(c =>
            new[] { OptedIn, TakenIn }.Sum(people =>
                c.Number(
                    $"SELECT count(*) FROM (SELECT 1 {people} LIMIT {MaxCounted + 1})",
                    filter.Text.ToLowerInvariant(),
                    filter.Page?.Value,
                    filter.Tag
                ) ?? 0
            )
        );

    /// <summary>The person of an address, capitals or not; null where nobody has it.</summary>
    public Person? Find(string email) =>
        database.Read(c =>
        {
            var opted = c.Rows(
                $"""
                SELECT l.email, l.at, coalesce(p.name, ''), {Source}, l.visitor
                FROM leads l LEFT JOIN pages p ON p.id = l.page_id
                WHERE l.email = $1 COLLATE NOCASE
                ORDER BY l.at DESC LIMIT 1
                """,
                row => Read(row, email),
                email
            );
            var found =
                opted.Count > 0
                    ? opted
                    : c.Rows("SELECT email, added_at FROM people WHERE email = $1", row => ReadTaken(row), email);
            return found is [var one] ? one.Person with { Tags = Tags(c, one.Person.Email, one.Visitor) } : null;
        });

    /// <summary>Both kinds of people, merged by their time.</summary>
    private IEnumerable<Row> Walk(PeopleFilter filter)
    {
        using var opted = WalkOptedIn(filter).GetEnumerator();
        using var taken = WalkTakenIn(filter).GetEnumerator();
        var (hasOpted, hasTaken) = (opted.MoveNext(), taken.MoveNext());
        while (hasOpted || hasTaken)
        {
            if (hasOpted && (!hasTaken || opted.Current.Person.At >= taken.Current.Person.At))
            {
                yield return opted.Current;
                hasOpted = opted.MoveNext();
            }
            else
            {
                yield return taken.Current;
                hasTaken = taken.MoveNext();
            }
        }
    }

    private IEnumerable<Row> WalkOptedIn(PeopleFilter filter) =>
        WalkChunks(
            $"""
            SELECT l.email, l.at, coalesce(p.name, ''), {Source}, l.visitor, l.event_id
            {OptedIn} AND (l.at, l.event_id) < ($4, $5)
            ORDER BY l.at DESC, l.event_id DESC LIMIT $6
            """,
            filter,
            row => Read(row, row.GetValue(5)),
            last: Enumerable.Repeat(byte.MaxValue, 17).ToArray()
        );

    private IEnumerable<Row> WalkTakenIn(PeopleFilter filter) =>
        WalkChunks(
            $"""
            SELECT a.email, a.added_at
            {TakenIn} AND (a.added_at, a.email) < ($4, $5)
            ORDER BY a.added_at DESC, a.email DESC LIMIT $6
            """,
            filter,
            ReadTaken,
            last: "\uFFFF"
        );

    /// <param name="last">An id behind all others.</param>
    private IEnumerable<Row> WalkChunks(string sql, PeopleFilter filter, Func<SqliteDataReader, Row> map, object last)
    {
        var (at, id) = (long.MaxValue, last);
        while (true)
        {
            var (from, fromId) = (at, id);
            var chunk = database.Read(c =>
                c.Rows(
                    sql,
                    map,
                    filter.Text.ToLowerInvariant(),
                    filter.Page?.Value,
                    filter.Tag,
                    from,
                    fromId,
                    ChunkSize
                )
            );
            foreach (var row in chunk)
                yield return row;
            if (chunk.Count < ChunkSize)
                yield break;
            (at, id) = (chunk[^1].Person.At.ToUnixTimeMilliseconds(), chunk[^1].Id);
        }
    }

    private static Row Read(SqliteDataReader row, object id) =>
        new(new(row.GetString(0), row.Time(1), row.GetString(2), row.GetString(3), []), (byte[])row.GetValue(4), id);

    private static Row ReadTaken(SqliteDataReader row) =>
        new(new(row.GetString(0), row.Time(1), "", "", []), null, row.GetString(0));

    private IReadOnlyList<Person> Tagged(IReadOnlyCollection<Row> rows) =>
        database.Read(c =>
            rows.Select(row => row.Person with { Tags = Tags(c, row.Person.Email, row.Visitor) }).ToArray()
        );

    /// <summary>Every tag, by hand or by rule.</summary>
    public IReadOnlyList<string> AllTags() =>
        database.Read(c =>
            c.Rows("SELECT tag FROM person_tags UNION SELECT tag FROM tag_rules ORDER BY 1", row => row.GetString(0))
        );

    /// <summary>The tags that people have by what they saw.</summary>
    public IReadOnlyList<TagRule> Rules() =>
        database.Read(c =>
            c.Rows(
                """
                SELECT r.tag, r.test_id, r.page_id, t.name, p.name
                FROM tag_rules r JOIN tests t ON t.id = r.test_id JOIN pages p ON p.id = r.page_id
                ORDER BY r.tag
                """,
                row => new TagRule(
                    row.GetString(0),
                    new(row.GetInt64(1)),
                    new(row.GetInt64(2)),
                    $"saw “{row.GetString(4).Trim('“', '”')}” of “{row.GetString(3)}”"
                )
            )
        );

    /// <summary>Whoever saw the page of the test has the tag; another rule of the tag is replaced.</summary>
    public Task SetRuleAsync(string tag, TestId test, PageId page) =>
        journal.WriteAsync(c =>
            c.Execute(
                """
                INSERT INTO tag_rules VALUES ($1, $2, $3)
                ON CONFLICT DO UPDATE SET test_id = excluded.test_id, page_id = excluded.page_id
                """,
                tag,
                test.Value,
                page.Value
            )
        );

    /// <summary>Takes a rule out; tags given by hand stay.</summary>
    public Task DropRuleAsync(string tag) =>
        journal.WriteAsync(c => c.Execute("DELETE FROM tag_rules WHERE tag = $1", tag));

    /// <summary>Gives a person exactly these tags by hand; those by rule are not touched.</summary>
    public Task SetTagsAsync(string email, IReadOnlyCollection<string> tags) =>
        journal.WriteAsync(c =>
        {
            c.Execute("DELETE FROM person_tags WHERE email = $1", email);
            foreach (var tag in tags)
                c.Execute("INSERT OR IGNORE INTO person_tags VALUES ($1, $2)", email, tag);
        });

    /// <summary>Which of these addresses are known.</summary>
    public IReadOnlySet<string> Known(IReadOnlyCollection<string> emails) =>
        database.Read(c =>
            emails
                .Where(email =>
                    c.Number(
                        """
                        SELECT 1
                        FROM leads
                        WHERE email = $1 COLLATE NOCASE
                        UNION ALL SELECT 1
                        FROM people
                        WHERE email = $1 LIMIT 1
                        """,
                        email
                    )
                        is not null
                )
                .ToHashSet(StringComparer.OrdinalIgnoreCase)
        );

    /// <summary>
    /// Takes people in who are known from elsewhere. Who is there already keeps what there is, and gets the tags
    /// besides.
    /// </summary>
    public Task AddAsync(IReadOnlyCollection<(string Email, IReadOnlyList<string> Tags)> people) =>
        journal.WriteAsync(c =>
        {
            var now = time.GetUtcNow().ToUnixTimeMilliseconds();
            foreach (var (email, tags) in people)
            {
                if (c.Number("SELECT 1 FROM leads WHERE email = $1 COLLATE NOCASE", email) is null)
                    c.Execute("INSERT OR IGNORE INTO people VALUES ($1, $2)", email, now);
                foreach (var tag in tags)
                    c.Execute("INSERT OR IGNORE INTO person_tags VALUES ($1, $2)", email, tag);
            }
        });

    /// <summary>What a person filled in besides the address, by the name of the field: the newest of each.</summary>
    public IReadOnlyDictionary<string, string> Told(string email) =>
        database.Read(c =>
        {
            var told = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
            var opted = c.Rows(
                "SELECT fields FROM leads WHERE email = $1 COLLATE NOCASE AND fields <> '' ORDER BY at",
                row => OptInNote.ReadFields(row.GetString(0)),
                email
            );
            foreach (var (name, value) in opted.SelectMany(fields => fields))
                told[name] = value;
            return told;
        });

    /// <summary>What a person did, the newest first, as far as it is kept of somebody.</summary>
    public IReadOnlyList<Activity> Deeds(string email) =>
        database.Read(c =>
        {
            var leads = c.Rows(
                """
                SELECT l.at, p.name, l.visitor, l.confirmed_at
                FROM leads l JOIN pages p ON p.id = l.page_id
                WHERE l.email = $1 COLLATE NOCASE
                """,
                row =>
                    (
                        At: row.Time(0),
                        Page: row.GetString(1),
                        Visitor: (byte[])row.GetValue(2),
                        Confirmed: row.TimeOrNull(3)
                    ),
                email
            );
            var deeds = leads.Select(lead => new Activity(lead.At, $"Opted in on {Quoted(lead.Page)}")).ToList();
            if (leads.FirstOrDefault(lead => lead.Confirmed is not null).Confirmed is { } confirmed)
                deeds.Add(new(confirmed, "Confirmed the address"));
            foreach (var visitor in leads.Select(lead => lead.Visitor).DistinctBy(Convert.ToHexString))
            {
                deeds.AddRange(
                    c.Rows(
                            """
                            SELECT e.at, p.name, t.name, e.converted_at
                            FROM enrolments e JOIN tests t ON t.id = e.test_id
                            JOIN pages p ON p.id = e.page_id
                            WHERE e.visitor = $1
                            """,
                            row =>
                                (
                                    At: row.Time(0),
                                    Page: row.GetString(1),
                                    Test: row.GetString(2),
                                    Converted: row.TimeOrNull(3)
                                ),
                            visitor
                        )
                        .SelectMany(place =>
                            place.Converted is { } converted
                                ? new[]
                                {
                                    new Activity(
                                        place.At,
                                        $"Was shown {Quoted(place.Page)} of the test {Quoted(place.Test)}"
                                    ),
                                    new Activity(converted, $"Converted in {Quoted(place.Test)}"),
                                }
                                :
                                [
                                    new Activity(
                                        place.At,
                                        $"Was shown {Quoted(place.Page)} of the test {Quoted(place.Test)}"
                                    ),
                                ]
                        )
                );
                deeds.AddRange(Orders(c, "visitor = $1", visitor));
            }
            deeds.AddRange(Orders(c, "visitor IS NULL AND email = $1", email.ToLowerInvariant()));
            deeds.AddRange(
                c.Rows(
                    "SELECT added_at FROM people WHERE email = $1",
                    row => new Activity(row.Time(0), "Was taken in from a file"),
                    email
                )
            );
            return deeds.OrderByDescending(deed => deed.At).ToArray();
        });

    /// <summary>
    /// Removes a person: the address goes from every table and from the events themselves. What was counted stays
    /// counted, of nobody.
    /// </summary>
    /// <returns>False when nobody has the address.</returns>
    public async Task<bool> RemoveAsync(string email)
    {
        // Found without keeping the writer from its visitors; an order's lines have the address too.
        var sales = database.Read(c =>
            c.Rows(
                "SELECT seq FROM events WHERE kind = $2 AND json_extract(data, '$.Email') = $1",
                row => row.GetInt64(0),
                email.ToLowerInvariant(),
                (int)EventKind.Sale
            )
        );
        var confirmations = database.Read(c =>
            c.Rows(
                "SELECT seq FROM events WHERE kind = $2 AND data = $1 COLLATE NOCASE",
                row => row.GetInt64(0),
                email,
                (int)EventKind.Confirmed
            )
        );
        var visitors = database.Read(c =>
            c.Rows(
                "SELECT DISTINCT visitor FROM leads WHERE email = $1 COLLATE NOCASE",
                row => (byte[])row.GetValue(0),
                email
            )
        );
        // All events are read through, but only for somebody who came by an ad network's click, and beside the writer.
        var visits = visitors
            .SelectMany(visitor =>
                database.Read(c =>
                    c.Rows(
                        """
                        SELECT seq, data
                        FROM events
                        WHERE visitor = $1 AND kind IN (1, 2, 3) AND instr(data, ' ') > 0 AND EXISTS (SELECT 1
                        FROM ad_clicks
                        WHERE visitor = $1)
                        ORDER BY seq
                        """,
                        row => (Seq: row.GetInt64(0), Note: VisitNote.Parse(row.GetString(1))),
                        visitor
                    )
                )
            )
            .ToArray();
        return await journal.WriteAsync(c =>
        {
            // What is deleted is written over in the file.
            c.Execute("PRAGMA secure_delete = ON");
            var events = c.Rows(
                "SELECT event_id FROM leads WHERE email = $1 COLLATE NOCASE",
                row => (byte[])row.GetValue(0),
                email
            );
            foreach (var id in events)
                c.Execute("UPDATE events SET data = '' WHERE id = $1", id);
            // By its name of the click, an ad network would know who it was. What the click cost stays, once.
            foreach (var click in visits.GroupBy(visit => visit.Note.Click!.Value.Id))
            {
                foreach (var (seq, note) in click)
                    c.Execute(
                        "UPDATE events SET data = $2 WHERE seq = $1",
                        seq,
                        (
                            note with
                            {
                                Click = seq == click.First().Seq ? note.Click!.Value with { Id = "" } : null,
                            }
                        ).ToString()
                    );
                c.Execute(
                    "DELETE FROM outgoing WHERE source_id IS NOT NULL AND json_extract(fields, '$.ClickId') = $1",
                    click.Key
                );
            }
            foreach (var visitor in visitors)
                c.Execute("DELETE FROM ad_clicks WHERE visitor = $1", visitor);
            foreach (var seq in sales)
                c.Execute("UPDATE events SET data = json_set(data, '$.Email', '') WHERE seq = $1", seq);
            var removed =
                c.Execute("DELETE FROM leads WHERE email = $1 COLLATE NOCASE", email)
                + c.Execute("UPDATE orders SET email = '' WHERE email = $1", email.ToLowerInvariant());
            removed +=
                c.Execute("DELETE FROM people WHERE email = $1", email)
                + c.Execute("DELETE FROM person_tags WHERE email = $1", email);
            c.Execute("DELETE FROM outgoing WHERE email = $1", email);
            foreach (var seq in confirmations)
                c.Execute("UPDATE events SET data = '' WHERE seq = $1", seq);
            return removed > 0;
        });
    }

    private static IEnumerable<Activity> Orders(SqliteConnection c, string condition, object value) =>
        c.Rows(
                $"SELECT at, order_id, product, currency, sold, refunded FROM orders WHERE {condition}",
                row =>
                    (
                        At: row.Time(0),
                        Order: row.GetString(1),
                        Product: row.GetString(2),
                        Currency: Currency.Find(row.GetString(3)) ?? Currency.Default,
                        Sold: row.GetInt64(4),
                        Back: row.GetInt64(5)
                    ),
                value
            )
            .Select(order => new Activity(
                order.At,
                $"Bought {(order.Product.Length > 0 ? order.Product : "something")} for "
                    + $"{order.Currency.Show(order.Sold)} (order "
                    + $"{order.Order}){(order.Back > 0 ? $", {order.Currency.Show(order.Back)} went back" : "")}"
            ));

    private static List<string> Tags(SqliteConnection c, string email, byte[]? visitor) =>
        c.Rows(
            """
            SELECT tag
            FROM person_tags
            WHERE email = $1
            UNION SELECT r.tag
            FROM tag_rules r JOIN enrolments n ON n.test_id = r.test_id AND n.page_id = r.page_id
            WHERE n.visitor = $2
            ORDER BY 1
            """,
            row => row.GetString(0),
            email,
            visitor
        );

    private static string Quoted(string name) => name.StartsWith('“') ? name : $"“{name}”";
}
