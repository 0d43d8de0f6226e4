using Wexil.Core.Common;

namespace Wexil.Store;

/// <summary>Which tests are listed.</summary>
public enum TestsShown
{
    /// <summary>All.</summary>
    All,

    /// <summary>Those that are not decided.</summary>
    Open,

    /// <summary>Those that are.</summary>
    Decided,
}

/// <summary>By what tests are sorted.</summary>
public enum TestOrder
{
    /// <summary>The one that started last first.</summary>
    Newest,

    /// <summary>By name.</summary>
    Name,

    /// <summary>The one with the most visitors first.</summary>
    Visitors,
}

/// <summary>A test in a list.</summary>
/// <param name="Visitors">As they were with the verdict in force, or are now.</param>
public readonly record struct ListedTest(TestId Test, long Visitors);

/// <summary>Lists tests by what was thought, tried and learned, a part of them at a time.</summary>
public sealed class TestListStore(Database database)
{
    // A decided test shows the visitors that its verdict is based on; one whose verdict was taken back counts on.
    private const string Visitors = """
        coalesce(
          CASE WHEN t.decided_at IS NOT NULL THEN (
            SELECT (SELECT sum(json_extract(value, '$.Visitors')) FROM json_each(v.evidence, '$.Pages'))
            FROM verdicts v
            WHERE v.test_id = t.id AND v.taken_back_at IS NULL
            ORDER BY v.id DESC LIMIT 1
          ) END,
          (SELECT sum(visitors) FROM test_tallies y WHERE y.test_id = t.id), 0)
        """;

    private const string Text = """
        t.name || char(10) || t.idea || char(10) || t.learned || char(10) || s.name || char(10) || f.name || char(10)
        || (SELECT group_concat(p.name, char(10)) FROM test_pages o JOIN pages p ON p.id = o.page_id
            WHERE o.test_id = t.id)
        """;

    /// <param name="words">Each stands in the test's name, idea or lesson, or in the name of its step, its funnel or
    /// one of its pages.</param>
    /// <returns>At most so many after so many others, and how many there are in all.</returns>
    public (IReadOnlyList<ListedTest> Tests, long Found) Find(
        IReadOnlyList<string> words,
        TestsShown shown,
        TestOrder order,
        int most,
        int skip
    ) =>
        database.Read(c =>
        {
            var from = $"""
                FROM tests t JOIN steps s ON s.id = t.step_id JOIN funnels f ON f.id = s.funnel_id
                WHERE {Condition(shown)}{string.Concat(words.Select((_, i) => $" AND holds({Text}, ${i + 1})"))}
                """;
            object?[] values = [.. words];
            var listed = c.Rows(
                $"""
                SELECT t.id, {Visitors} visitors {from}
                ORDER BY {Sorted(order)} LIMIT {most} OFFSET {skip}
                """,
                row => new ListedTest(new(row.GetInt64(0)), row.GetInt64(1)),
                values
            );
            return ((IReadOnlyList<ListedTest>)listed, c.Number($"SELECT count(*) {from}", values) ?? 0);
        });

    private static string Condition(TestsShown shown) =>
        shown switch
        {
            TestsShown.Open => "t.decided_at IS NULL",
            TestsShown.Decided => "t.decided_at IS NOT NULL",
            _ => "1",
        };

    private static string Sorted(TestOrder order) =>
        order switch
        {
            TestOrder.Name => "t.name COLLATE NOCASE, t.id DESC",
            TestOrder.Visitors => "visitors DESC, t.id DESC",
            _ => "t.started_at DESC, t.id DESC",
        };
}
