using System.Data;
using System.Security.Cryptography;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Goals;
using Wexil.Core.SplitTests;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>A goal as a test has it.</summary>
/// <param name="Key">Its own address: <c>/signal/{key}</c>.</param>
/// <param name="IsMain">The verdict goes by it.</param>
/// <param name="CountsFrom">Counts with the visitors who came from then on, which is where a phase begins.</param>
public sealed record TestGoalRow(
    GoalId Id,
    TestId Test,
    string Key,
    bool IsMain,
    Goal Goal,
    DateTimeOffset CreatedAt,
    DateTimeOffset CountsFrom
)
{
    /// <summary>Does it count with the visitors of a phase?</summary>
    public bool CountsIn(Phase phase) => phase.StartedAt >= CountsFrom;
}

/// <summary>What counts in tests, besides reaching their goal step.</summary>
public sealed class GoalStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>How many goals a test may have.</summary>
    public const int MaxPerTest = 20;

    /// <summary>The goals of a test, the main one first.</summary>
    public IReadOnlyList<TestGoalRow> ForTest(TestId test) =>
        database.Read(c => ForTests(c, EvidenceStore.Json([test.Value]))[test].ToArray());

    /// <param name="tests">Their numbers, as JSON.</param>
    internal static ILookup<TestId, TestGoalRow> ForTests(SqliteConnection c, string tests) =>
        c.Rows(
                """
                SELECT id, test_id, key, is_main, spec, created_at, counts_from
                FROM goals
                WHERE test_id IN (SELECT value FROM json_each($1)) AND dropped_at IS NULL
                ORDER BY is_main DESC, id
                """,
                row => new TestGoalRow(
                    new(row.GetInt64("id")),
                    new(row.GetInt64("test_id")),
                    row.GetString("key"),
                    row.GetBoolean("is_main"),
                    Goal.Parse(row.GetString("spec")),
                    row.Time("created_at"),
                    row.Time("counts_from")
                ),
                tests
            )
            .ToLookup(goal => goal.Test);

    /// <summary>
    /// Adds a goal to a test. It counts with the visitors who come from now on: who came before may have done it
    /// unseen, so a phase begins. False when the test has as many as it may.
    /// </summary>
    public Task<bool> AddAsync(TestId test, Goal goal) =>
        journal.WriteAsync(c =>
        {
            if (
                c.Number("SELECT count(*) FROM goals WHERE test_id = $1 AND dropped_at IS NULL", test.Value)
                >= MaxPerTest
            )
                return false;
            var now = time.GetUtcNow();
            var isFirst = c.Number("SELECT 1 FROM test_tallies WHERE test_id = $1 LIMIT 1", test.Value) is null;
            Add(c, test, goal, isMain: false, isFirst ? DateTimeOffset.UnixEpoch : now, now);
            var (moment, what) = (now.ToUnixTimeMilliseconds(), $"Goal “{goal.Name}” added");
            TestStore.Log(c, test, moment, "owner", what);
            if (!isFirst)
                TestPhases.Settle(c, test, what, moment);
            return true;
        });

    /// <summary>A goal counts no more and is out of sight. The main goal stays.</summary>
    public Task DropAsync(TestId test, GoalId goal) =>
        journal.WriteAsync(c =>
        {
            var now = time.GetUtcNow().ToUnixTimeMilliseconds();
            if (
                c.Text(
                    "SELECT spec FROM goals WHERE id = $1 AND test_id = $2 AND NOT is_main AND dropped_at IS NULL",
                    goal.Value,
                    test.Value
                )
                is not { } spec
            )
                return;
            c.Execute("UPDATE goals SET dropped_at = $2 WHERE id = $1", goal.Value, now);
            TestStore.Log(c, test, now, "owner", $"Goal “{Goal.Parse(spec).Name}” removed");
        });

    internal static void Add(
        SqliteConnection c,
        TestId test,
        Goal goal,
        bool isMain,
        DateTimeOffset from,
        DateTimeOffset now
    ) =>
        c.Insert(
            "INSERT INTO goals (test_id, key, is_main, spec, created_at, counts_from) VALUES ($1, $2, $3, $4, $5, $6)",
            test.Value,
            Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(8)),
            isMain ? 1 : 0,
            goal.ToJson(),
            now.ToUnixTimeMilliseconds(),
            from.ToUnixTimeMilliseconds()
        );
}
