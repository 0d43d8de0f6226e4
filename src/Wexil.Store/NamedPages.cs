using Wexil.Core.Common;

namespace Wexil.Store;

/// <summary>A page by the words that it is chosen by.</summary>
/// <param name="Test">The test that it is in, where it is chosen as a page of a test.</param>
/// <param name="Words">"Headline B · Opt-in · Balcony Harvest", or "Headline B · Shorter form" of a test.</param>
public sealed record NamedPage(PageId Page, TestId? Test, string Words);

/// <summary>Finds pages by a part of the words that they are chosen by, where there are too many for a list.</summary>
public sealed class NamedPages(Database database)
{
    /// <summary>How many are offered at once.</summary>
    public const int MaxOffered = 20;

    /// <summary>In SQL, of a page p on a step s of a funnel f.</summary>
    internal const string PageWords = "p.name || ' · ' || s.name || ' · ' || f.name";

    private const string TestWords = "p.name || ' · ' || t.name";

    /// <summary>Words that contain the text and are as long as the text are the text itself, and come first.</summary>
    private static string IsWhole(string words) => $"length({words}) = length($1)";

    /// <summary>Pages on the steps of funnels, the newest first.</summary>
    public IReadOnlyList<NamedPage> Pages(string text) =>
        Find(
            $"""
            SELECT p.id, NULL, {PageWords}
            FROM pages p JOIN steps s ON s.id = p.step_id JOIN funnels f ON f.id = s.funnel_id
            WHERE s.host_id IS NULL AND p.archived_at IS NULL AND holds({PageWords}, $1)
            ORDER BY {IsWhole(PageWords)} DESC, p.id DESC LIMIT {MaxOffered}
            """,
            text
        );

    /// <summary>Pages of tests, those of the newest test first.</summary>
    public IReadOnlyList<NamedPage> OfTests(string text) =>
        Find(
            $"""
            SELECT p.id, t.id, {TestWords}
            FROM tests t JOIN test_pages o ON o.test_id = t.id JOIN pages p ON p.id = o.page_id
            WHERE holds({TestWords}, $1)
            ORDER BY {IsWhole(TestWords)} DESC, t.id DESC, o.position LIMIT {MaxOffered}
            """,
            text
        );

    private List<NamedPage> Find(string sql, string text) =>
        database.Read(c =>
            c.Rows(
                sql,
                row => new NamedPage(
                    new(row.GetInt64(0)),
                    row.NumberOrNull(1) is { } test ? new TestId(test) : null,
                    row.GetString(2)
                ),
                text.Trim()
            )
        );
}
