using System.Data;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
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
        journal.WriteAsync(c =>
        {
            var now = time.GetUtcNow().ToUnixTimeMilliseconds();
            // All first: no section begins a phase because of another that is decided along with it.
            KeptPage[] ended =
            [
                .. kept.Where(page =>
                    c.Execute(
                        "UPDATE tests SET decided_at = $2 WHERE id = $1 AND decided_at IS NULL",
                        page.Test.Value,
                        now
                    ) > 0
                ),
            ];
            foreach (var page in ended)
                End(c, page, by, now);
            return ended.Length;
        });

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
    /// out of it. False when there is nothing to take back, or another test has been started on the step since that
    /// is not its own check, or is still open.
    /// </summary>
    public Task<bool> TakeBackAsync(TestId test) =>
        journal.WriteAsync(c =>
        {
            var step = c.Number("SELECT step_id FROM tests WHERE id = $1 AND decided_at IS NOT NULL", test.Value);
            if (step is null || IsOvertaken(c, step.Value, test))
                return false;
            var verdict = c.Number(
                "SELECT max(id) FROM verdicts WHERE test_id = $1 AND taken_back_at IS NULL",
                test.Value
            );
            if (verdict is null)
                return false;
            var now = time.GetUtcNow().ToUnixTimeMilliseconds();
            c.Execute("UPDATE verdicts SET taken_back_at = $2 WHERE id = $1", verdict, now);
            c.Execute(
                "UPDATE steps SET page_id = (SELECT page_before_id FROM verdicts WHERE id = $2) WHERE id = $1",
                step,
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
            return true;
        });

    // By a test that is not its own check, or by a check that goes on.
    private static bool IsOvertaken(SqliteConnection c, long step, TestId test) =>
        c.Number(
            """
            SELECT 1 FROM tests
            WHERE step_id = $1 AND id > $2 AND (check_of IS NOT $2 OR decided_at IS NULL)
            """,
            step,
            test.Value
        )
            is not null;

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
