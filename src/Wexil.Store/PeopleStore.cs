using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>Somebody whose e-mail address is known.</summary>
/// <param name="Page">The page that won them last; empty for those imported from a file.</param>
/// <param name="Source">The source that sent them; empty where none is known.</param>
/// <param name="Tags">By hand and by rule.</param>
public sealed record Person(string Email, DateTimeOffset At, string Page, string Source, IReadOnlyList<string> Tags);

/// <summary>Which people are looked for.</summary>
/// <param name="Text">A part of the address; empty for all.</param>
/// <param name="Tag">Who has the tag, by hand or by rule; empty for all.</param>
/// <param name="Page">A part of the words for the page that they opted in on; empty for all.</param>
public sealed record PeopleFilter(string Text = "", string Tag = "", string Page = "");

/// <summary>A tag that everyone who saw a page of a test has by itself.</summary>
public sealed record TagRule(string Tag, TestId Test, PageId Page, string Words);

/// <summary>People who opted in or were taken in, and their tags.</summary>
public sealed class PeopleStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>In characters.</summary>
    public const int MaxTagLength = 40;

    /// <summary>Beyond so many, people are not counted to the last.</summary>
    public const int MaxCounted = 10_000;

    private const int ChunkSize = 200;

    // The newest opt-in of each address. Walked in the order of time, so that the newest hundred cost a hundred.
    private const string OptedIn = $"""
        FROM leads l LEFT JOIN pages p ON p.id = l.page_id
        WHERE l.email <> '' AND ($1 = '' OR instr(lower(l.email), $1) > 0) AND ($2 = '' OR l.page_id IN (
            SELECT p.id FROM pages p JOIN steps s ON s.id = p.step_id JOIN funnels f ON f.id = s.funnel_id
            WHERE holds({NamedPages.PageWords}, $2)))
          AND ($3 = '' OR EXISTS (SELECT 1 FROM person_tags t WHERE t.email = l.email AND t.tag = $3)
            OR EXISTS (SELECT 1 FROM tag_rules r JOIN enrolments n ON n.test_id = r.test_id
              AND n.page_id = r.page_id WHERE r.tag = $3 AND n.visitor = l.visitor))
          AND NOT EXISTS (SELECT 1 FROM leads later WHERE later.email = l.email COLLATE NOCASE
            AND (later.at, later.event_id) > (l.at, l.event_id))
        """;

    // The addresses alone, in the order of their index: whoever opted in again and again costs no look at each time.
    private const string Addresses = """
        FROM leads l
        WHERE l.email <> '' AND ($1 = '' OR instr(lower(l.email), $1) > 0) AND $2 = '' AND $3 = ''
        GROUP BY l.email COLLATE NOCASE
        """;

    // People who were only imported.
    private const string TakenIn = """
        FROM people a
        WHERE ($1 = '' OR instr(lower(a.email), $1) > 0) AND $2 = ''
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
            new[] { filter is { Page: "", Tag: "" } ? Addresses : OptedIn, TakenIn }.Sum(people =>
                c.Number(
                    $"SELECT count(*) FROM (SELECT 1 {people} LIMIT {MaxCounted + 1})",
                    filter.Text.ToLowerInvariant(),
                    filter.Page,
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
                c.Rows(sql, map, filter.Text.ToLowerInvariant(), filter.Page, filter.Tag, from, fromId, ChunkSize)
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

    /// <summary>Everyone who saw the page of the test has the tag; another rule of the tag is replaced.</summary>
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
}
