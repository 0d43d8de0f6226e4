using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;

namespace Wexil.Store;

/// <summary>The phases of tests: read, and brought into line with whatever is changed of a test.</summary>
internal static class TestPhases
{
    /// <summary>
    /// Brings the phases into line with the test as it is stored now: its start and end, whether it is paused or
    /// decided, its weights, and which pages rest.
    /// </summary>
    /// <param name="reason">Why a phase begins; null where nothing that was counted before has become something
    /// else.</param>
    /// <param name="log">Who did it, for a line in the log; null for none.</param>
    public static void Settle(SqliteConnection c, TestId test, string? reason, long now, string? log = null)
    {
        if (log is not null && reason is not null)
            TestStore.Log(c, test, now, log, reason);
        var (set, run) = c.Rows(
                """
                SELECT weights, started_at, ends_at, paused_at IS NULL AND decided_at IS NULL
                FROM tests
                WHERE id = $1
                """,
                row =>
                    (
                        Weights: Weights.Parse(row.GetString(0)),
                        Run: row.GetBoolean(3) ? new TestRun(row.Time(1), row.TimeOrNull(2)) : (TestRun?)null
                    ),
                test.Value
            )
            .Single();
        var weights = set.Without([
            .. c.Rows(
                "SELECT position FROM test_pages WHERE test_id = $1 AND rests",
                row => row.GetInt32(0),
                test.Value
            ),
        ]);
        var known = Of(c, test);
        var plan = TestLife.Plan(known, run, weights, reason, DateTimeOffset.FromUnixTimeMilliseconds(now));
        Write(c, test, known, plan);
        if (run is not null)
            TakeOutOfArchive(c, test, set);
    }

    /// <summary>Begins a phase in each running test of the sections on a step's pages, because those changed.</summary>
    /// <param name="except">The test that changed them; null for none.</param>
    public static void SettleSections(SqliteConnection c, StepId host, TestId? except, string why, long now)
    {
        foreach (
            var test in c.Rows(
                """
                SELECT t.id
                FROM steps s JOIN tests t ON t.step_id = s.id
                WHERE s.host_id = $1 AND t.decided_at IS NULL AND t.id IS NOT $2
                """,
                row => new TestId(row.GetInt64(0)),
                host.Value,
                except?.Value
            )
        )
            Settle(c, test, why, now, log: "owner");
    }

    private static void Write(SqliteConnection c, TestId test, IReadOnlyList<Phase> known, PhasePlan plan)
    {
        foreach (var phase in plan.Dropped)
            c.Execute("DELETE FROM phases WHERE id = $1", phase.Value);
        foreach (var phase in plan.Known.Except(known))
            c.Execute(
                "UPDATE phases SET weights = $2, started_at = $3, ended_at = $4 WHERE id = $1",
                phase.Id.Value,
                phase.Weights.ToString(),
                phase.StartedAt.ToUnixTimeMilliseconds(),
                phase.EndedAt?.ToUnixTimeMilliseconds()
            );
        if (plan.Begins is { } begins)
            c.Execute(
                "INSERT INTO phases (test_id, weights, reason, started_at, ended_at) VALUES ($1, $2, $3, $4, $5)",
                test.Value,
                begins.Weights.ToString(),
                begins.Reason,
                begins.From.ToUnixTimeMilliseconds(),
                begins.Until?.ToUnixTimeMilliseconds()
            );
    }

    /// <summary>The phases of one test, the oldest first.</summary>
    public static Phase[] Of(SqliteConnection c, TestId test) => [.. Of(c, EvidenceStore.Json([test.Value]))[test]];

    /// <summary>The phases of tests, the oldest first.</summary>
    /// <param name="tests">Their numbers, as JSON.</param>
    public static ILookup<TestId, Phase> Of(SqliteConnection c, string tests) =>
        c.Rows(
                """
                SELECT test_id, id, weights, reason, started_at, ended_at
                FROM phases
                WHERE test_id IN (SELECT value FROM json_each($1))
                ORDER BY id
                """,
                row =>
                    (
                        Test: new TestId(row.GetInt64(0)),
                        Phase: new Phase(
                            new(row.GetInt64(1)),
                            Weights.Parse(row.GetString(2)),
                            row.GetString(3),
                            row.Time(4),
                            row.TimeOrNull(5)
                        )
                    ),
                tests
            )
            .ToLookup(row => row.Test, row => row.Phase);

    /// <summary>A page that visitors are sent to, or that the step shows, is not put away.</summary>
    private static void TakeOutOfArchive(SqliteConnection c, TestId test, Weights weights)
    {
        c.Execute(
            """
            UPDATE pages SET archived_at = NULL
            WHERE archived_at IS NOT NULL AND id = (SELECT s.page_id
            FROM steps s JOIN tests t ON t.step_id = s.id
            WHERE t.id = $1)
            """,
            test.Value
        );
        for (var position = 0; position < weights.Count; position++)
            if (weights[position] > 0)
                c.Execute(
                    """
                    UPDATE pages SET archived_at = NULL
                    WHERE archived_at IS NOT NULL AND id = (SELECT page_id
                    FROM test_pages
                    WHERE test_id = $1 AND position = $2)
                    """,
                    test.Value,
                    position
                );
    }
}
