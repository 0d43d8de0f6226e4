using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Core.Splits;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>A split test as it is stored. The first page is the control, A.</summary>
/// <param name="Goal">The step whose being reached is the conversion.</param>
/// <param name="Weights">Those of the newest phase.</param>
/// <param name="DecidedAt">Null while it runs.</param>
public sealed record SplitTest(
    TestId Id, StepId Step, StepId Goal, string Name, string Idea, double BaseRate, double SmallestLift, DateTimeOffset StartedAt, DateTimeOffset? DecidedAt,
    IReadOnlyList<PageId> Pages, Weights Weights)
{
    public bool IsRunning => DecidedAt is null;
}

/// <summary>What a person settles when starting a test.</summary>
public sealed record TestPlan(StepId Step, StepId Goal, string Name, string Idea, double BaseRate, double SmallestLift, IReadOnlyList<PageId> Pages, Weights Weights);

/// <summary>A stretch of a test with nothing changed.</summary>
public sealed record Phase(PhaseId Id, Weights Weights, string Reason, DateTimeOffset StartedAt, DateTimeOffset? EndedAt);

/// <summary>Split tests and their phases.</summary>
public sealed class TestStore(Database database, Journal journal, TimeProvider time)
{
    private const string Columns = "id, step_id, goal_step_id, name, idea, base_rate, smallest_lift, started_at, decided_at";

    public IReadOnlyList<SplitTest> Running() => Where("decided_at IS NULL");

    public SplitTest? Find(TestId test) => Where("id = $1", test.Value).SingleOrDefault();

    /// <summary>Every test of a step, the newest first.</summary>
    public IReadOnlyList<SplitTest> Of(StepId step) => Where("step_id = $1", step.Value);

    public IReadOnlyList<Phase> Phases(TestId test) => database.Read(c => c.Rows(
        "SELECT id, weights, reason, started_at, ended_at FROM phases WHERE test_id = $1 ORDER BY id",
        row => new Phase(new(row.GetInt64(0)), Weights.Parse(row.GetString(1)), row.GetString(2), row.Time(3), row.TimeOrNull(4)), test.Value));

    /// <summary>Starts a test; null when another one is running on the step.</summary>
    public Task<TestId?> StartAsync(TestPlan plan) => journal.WriteAsync<TestId?>(c =>
    {
        if (c.Number("SELECT 1 FROM tests WHERE step_id = $1 AND decided_at IS NULL", plan.Step.Value) is not null) return null;
        var now = time.GetUtcNow().ToUnixTimeMilliseconds();
        var test = new TestId(c.Insert(
            "INSERT INTO tests (step_id, goal_step_id, name, idea, base_rate, smallest_lift, started_at) VALUES ($1, $2, $3, $4, $5, $6, $7)",
            plan.Step.Value, plan.Goal.Value, plan.Name, plan.Idea, plan.BaseRate, plan.SmallestLift, now));
        for (var i = 0; i < plan.Pages.Count; i++) c.Execute("INSERT INTO test_pages VALUES ($1, $2, $3)", test.Value, i, plan.Pages[i].Value);
        StartPhase(c, test, plan.Weights, "Started", now);
        return test;
    });

    /// <summary>Sets the weights for visitors to come; those already enrolled stay where they are.</summary>
    public Task ChangeWeightsAsync(TestId test, Weights weights) => journal.WriteAsync(c =>
        StartPhase(c, test, weights, $"Weights set to {weights}", time.GetUtcNow().ToUnixTimeMilliseconds()));

    /// <summary>Ends the newest phase, if it still runs, and starts the next; without new weights the old ones go on.</summary>
    internal static void StartPhase(SqliteConnection c, TestId test, Weights? weights, string reason, long now)
    {
        var text = weights?.ToString() ?? c.Text("SELECT weights FROM phases WHERE test_id = $1 ORDER BY id DESC LIMIT 1", test.Value);
        c.Execute("UPDATE phases SET ended_at = $2 WHERE test_id = $1 AND ended_at IS NULL", test.Value, now);
        c.Execute("INSERT INTO phases (test_id, weights, reason, started_at) VALUES ($1, $2, $3, $4)", test.Value, text, reason, now);
    }

    private List<SplitTest> Where(string condition, params object?[] values) => database.Read(c =>
    {
        var tests = c.Rows($"SELECT {Columns} FROM tests WHERE {condition} ORDER BY id DESC", row => new SplitTest(
            new(row.GetInt64(0)), new(row.GetInt64(1)), new(row.GetInt64(2)), row.GetString(3), row.GetString(4), row.GetDouble(5), row.GetDouble(6),
            row.Time(7), row.TimeOrNull(8), [], Weights.Even(2)), values);
        return tests.ConvertAll(test => test with
        {
            Pages = c.Rows("SELECT page_id FROM test_pages WHERE test_id = $1 ORDER BY position", row => new PageId(row.GetInt64(0)), test.Id.Value),
            Weights = Weights.Parse(c.Text("SELECT weights FROM phases WHERE test_id = $1 ORDER BY id DESC LIMIT 1", test.Id.Value)!),
        });
    });
}
