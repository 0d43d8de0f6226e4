using System.Data;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>The end of a test, with the evidence as it stood.</summary>
/// <param name="Before">The page that the step showed before; null for none.</param>
/// <param name="Evidence">JSON, never changed afterwards.</param>
public sealed record StoredVerdict(
    long Id,
    TestId Test,
    StepId Step,
    PageId Page,
    PageId? Before,
    string KeptBy,
    DateTimeOffset KeptAt,
    string Sentence,
    string Evidence,
    DateTimeOffset? TakenBackAt
);

/// <summary>A page to be kept, with the evidence as it stands.</summary>
/// <param name="Sentence">The verdict in words.</param>
/// <param name="Evidence">JSON.</param>
public sealed record KeptPage(TestId Test, PageId Page, string Sentence, string Evidence)
{
    /// <summary>The test by which the page is checked from then on; null for none.</summary>
    public TestPlan? Check { get; init; }
}

/// <summary>Keeps pages and takes it back.</summary>
public sealed class VerdictStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>Who kept the page, where the owner did.</summary>
    public const string ByHand = "by hand";

    /// <summary>Who kept the page, where the test’s rule did.</summary>
    public const string ByRule = "by its rule";

    /// <summary>Who kept the page, where the check of a page ended.</summary>
    public const string ByCheck = "by its check";

    /// <summary>The reason of the phase that begins when a verdict is taken back.</summary>
    public const string TakenBack = "Verdict taken back";

    private const string Columns =
        "v.id, v.test_id, t.step_id, v.page_id, v.page_before_id, v.kept_by, v.kept_at, v.sentence, "
        + "v.evidence, v.taken_back_at";

    /// <summary>Every verdict on a step's tests, the newest first.</summary>
    public IReadOnlyList<StoredVerdict> ForStep(StepId step) => Where("t.step_id = $1", step.Value);

    /// <summary>Every verdict that was not taken back, the newest first.</summary>
    public IReadOnlyList<StoredVerdict> InForce() => Where("v.taken_back_at IS NULL");

    /// <summary>Every verdict on the tests of steps that was not taken back, the newest first.</summary>
    public IReadOnlyList<StoredVerdict> InForceOn(IEnumerable<StepId> steps) =>
        Where(
            "v.taken_back_at IS NULL AND t.step_id IN (SELECT value FROM json_each($1))",
            EvidenceStore.Json(steps.Select(step => step.Value))
        );

    /// <summary>
    /// Ends running tests at the same moment: their steps show the pages kept to everybody. Those that no longer run
    /// are left as they are.
    /// </summary>
    /// <returns>How many of them ended.</returns>
    public Task<int> KeepAsync(IReadOnlyList<KeptPage> kept, string by) =>
        journal.WriteAsync(c => Keep(c, kept, by, time.GetUtcNow().ToUnixTimeMilliseconds()));

    private static int Keep(SqliteConnection c, IReadOnlyList<KeptPage> kept, string by, long now)
    {
        // All first: no section begins a phase because of another that is decided along with it.
        KeptPage[] ended =
        [
            .. kept.Where(page =>
                c.Execute("UPDATE tests SET decided_at = $2 WHERE id = $1 AND decided_at IS NULL", page.Test.Value, now)
                > 0
            ),
        ];
        foreach (var page in ended)
            End(c, page, by, now);
        return ended.Length;
    }

    private static void End(SqliteConnection c, KeptPage kept, string by, long now)
    {
        var (test, page) = (kept.Test, kept.Page);
        TestPhases.Settle(c, test, null, now);
        var name = PageStore.Find(c, page)!.Name;
        TestStore.Log(c, test, now, by == ByHand ? "owner" : by, $"Kept {name}");
        c.Execute(
            """
            INSERT INTO verdicts (test_id, page_id, page_before_id, kept_by, kept_at, sentence, evidence)
            SELECT $1, $2, s.page_id, $3, $4, $5, $6 FROM steps s JOIN tests t ON t.step_id = s.id WHERE t.id = $1
            """,
            test.Value,
            page.Value,
            by,
            now,
            kept.Sentence,
            kept.Evidence
        );
        c.Execute(
            "UPDATE steps SET page_id = $2 WHERE id = (SELECT step_id FROM tests WHERE id = $1)",
            test.Value,
            page.Value
        );
        SettleBeside(c, test, $"“{Section(c, test)}” shows “{name}” to everyone", now);
        if (kept.Check is { } check)
            TestStore.Start(c, check, DateTimeOffset.FromUnixTimeMilliseconds(now));
    }

    /// <summary>
    /// Takes the newest verdict on a test back: the test runs again, in a new phase, and those who came meanwhile stay
    /// out of it. False, with nothing changed, when there is nothing to take back, or another test has been started on
    /// the step since that is not its own check, or is still open.
    /// </summary>
    public async Task<bool> TakeBackAsync(TestId test) => await TakeBackAsync(test, null, []) is not null;

    /// <summary>
    /// The same, together with what belongs to it: its check ends, and pages have their section back.
    /// </summary>
    /// <param name="check">What is kept of its check, where that goes on.</param>
    /// <returns>The pages that were changed since they were read, and stay as they are; null where nothing was taken
    /// back.</returns>
    public Task<IReadOnlyList<Page>?> TakeBackAsync(TestId test, KeptPage? check, IReadOnlyList<Republished> pages) =>
        journal.WriteAsync(c =>
        {
            if (ToTakeBack(c, test, check?.Test) is not { } verdict)
                return null;
            var now = time.GetUtcNow();
            // The pages first: what is written into them is what the section shows now.
            var changed = Republished.Write(c, pages, now);
            if (check is not null)
                Keep(c, [check], ByHand, now.ToUnixTimeMilliseconds());
            TakeBack(c, test, verdict, now.ToUnixTimeMilliseconds());
            return changed;
        });

    private static void TakeBack(SqliteConnection c, TestId test, long verdict, long now)
    {
        c.Execute("UPDATE verdicts SET taken_back_at = $2 WHERE id = $1", verdict, now);
        c.Execute(
            """
            UPDATE steps
            SET page_id = (SELECT page_before_id FROM verdicts WHERE id = $2)
            WHERE id = (SELECT step_id FROM tests WHERE id = $1)
            """,
            test.Value,
            verdict
        );
        // It runs on: an end whose time has come would only end it again.
        c.Execute(
            """
            UPDATE tests
            SET decided_at = NULL, paused_at = NULL, ends_at = CASE WHEN ends_at > $2 THEN ends_at END
            WHERE id = $1
            """,
            test.Value,
            now
        );
        TestPhases.Settle(c, test, TakenBack, now, log: "owner");
        SettleBeside(c, test, $"“{Section(c, test)}” is tested again", now);
    }

    /// <summary>
    /// The verdict to be taken back. None where a test has been started on the step since that is not its own check, or
    /// is one that goes on.
    /// </summary>
    /// <param name="ended">The check that ends along with it.</param>
    private static long? ToTakeBack(SqliteConnection c, TestId test, TestId? ended) =>
        c.Number(
            """
            SELECT max(v.id)
            FROM tests t JOIN verdicts v ON v.test_id = t.id AND v.taken_back_at IS NULL
            WHERE t.id = $1 AND t.decided_at IS NOT NULL AND NOT EXISTS (SELECT 1
              FROM tests o
              WHERE o.step_id = t.step_id AND o.id > t.id
                AND (o.check_of IS NOT t.id OR (o.decided_at IS NULL AND o.id IS NOT $2)))
            """,
            test.Value,
            ended?.Value
        );

    private static string? Section(SqliteConnection c, TestId test) =>
        c.Text("SELECT s.name FROM steps s JOIN tests t ON t.step_id = s.id WHERE t.id = $1", test.Value);

    // The other sections stand on another page from now on.
    private static void SettleBeside(SqliteConnection c, TestId test, string why, long now)
    {
        var host = c.Number(
            "SELECT s.host_id FROM steps s JOIN tests t ON t.step_id = s.id WHERE t.id = $1",
            test.Value
        );
        if (host is { } step)
            TestPhases.SettleSections(c, new(step), test, why, now);
    }

    private List<StoredVerdict> Where(string condition, params object?[] values) =>
        database.Read(c =>
            c.Rows(
                $"""
                SELECT {Columns}
                FROM verdicts v JOIN tests t ON t.id = v.test_id
                WHERE {condition}
                ORDER BY v.id DESC
                """,
                row => new StoredVerdict(
                    row.GetInt64("id"),
                    new(row.GetInt64("test_id")),
                    new(row.GetInt64("step_id")),
                    new(row.GetInt64("page_id")),
                    row.NumberOrNull("page_before_id") is { } before ? new PageId(before) : null,
                    row.GetString("kept_by"),
                    row.Time("kept_at"),
                    row.GetString("sentence"),
                    row.GetString("evidence"),
                    row.TimeOrNull("taken_back_at")
                ),
                values
            )
        );
}
