using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;

namespace Wexil.Store.Recording.Projection;

/// <summary>Where a step stands, its number among all that its funnel ever had, and what reaching it means.</summary>
internal readonly record struct StepRole(long Funnel, int Position, int Number, FunnelOutcome? Outcome)
{
    /// <summary>A visitor's row has a bit for each step of the funnel.</summary>
    public const int MostSteps = 63;

    public long Bit => 1L << Number;
}

/// <summary>A test that counts visitors who reach a step, and when it ran.</summary>
internal sealed record GoalTest(long Test, (long From, long Until)[] Runs)
{
    public bool RunsAt(long at) => Array.Exists(Runs, run => run.From <= at && at < run.Until);
}

/// <summary>A test on another step of the same funnel.</summary>
internal readonly record struct Partner(long Test, bool IsEarlier);

/// <summary>Which steps are goals of which tests, what reaching them means, and whose visitors are crossed with whose.</summary>
internal sealed class FunnelMap
{
    /// <summary>Tests whose visitors are crossed with those of another.</summary>
    private const int MostPartners = 8;

    private readonly Dictionary<long, StepRole> _steps;
    private readonly Dictionary<long, GoalTest[]> _goals;
    private readonly Dictionary<long, GoalTest> _tests;
    private readonly Dictionary<long, Partner[]> _partners;

    public FunnelMap(SqliteConnection connection)
    {
        var numbers = connection.Rows("SELECT id, number FROM steps", row => (row.GetInt64(0), row.GetInt32(1))).ToDictionary();
        var steps = connection.Rows($"SELECT {FunnelStore.StepColumns} FROM steps ORDER BY funnel_id, position", FunnelStore.MapStep);
        var runs = connection.Rows("SELECT test_id, started_at, ended_at FROM phases", row => (Test: row.GetInt64(0), From: row.GetInt64(1), Until: row.NumberOrNull(2) ?? long.MaxValue))
            .ToLookup(run => run.Test, run => (run.From, run.Until));
        var tests = connection.Rows("SELECT id, goal_step_id, step_id, started_at, decided_at FROM tests", row =>
            (Id: row.GetInt64(0), Goal: row.GetInt64(1), Step: row.GetInt64(2), From: row.GetInt64(3), Until: row.NumberOrNull(4) ?? long.MaxValue));
        _steps = steps.GroupBy(step => step.Funnel).SelectMany(funnel =>
        {
            var inOrder = funnel.ToArray();
            return inOrder.Select(step => (step.Id, Role: new StepRole(funnel.Key.Value, step.Position, numbers[step.Id.Value], FunnelPath.OutcomeOf(inOrder, step))));
        }).ToDictionary(row => row.Id.Value, row => row.Role);
        _tests = tests.ToDictionary(test => test.Id, test => new GoalTest(test.Id, [.. runs[test.Id]]));
        _goals = tests.GroupBy(test => test.Goal).ToDictionary(group => group.Key, group => group.Select(test => _tests[test.Id]).ToArray());
        _partners = tests.GroupBy(test => _steps[test.Step].Funnel).SelectMany(funnel => funnel.Select(test => (test.Id, Partners: funnel
            .Where(other => other.Step != test.Step && other.From < test.Until && test.From < other.Until).OrderByDescending(other => other.Id).Take(MostPartners)
            .Select(other => new Partner(other.Id, _steps[other.Step].Position < _steps[test.Step].Position)).ToArray())))
            .Where(row => row.Partners.Length > 0).ToDictionary(row => row.Id, row => row.Partners);
    }

    /// <summary>The tables that it is read from.</summary>
    public static bool IsFrom(string table) => table is "steps" or "phases" or "tests" or "sources";

    public StepRole? Role(long step) => _steps.TryGetValue(step, out var role) ? role : null;

    /// <summary>The tests whose goal is to reach the step.</summary>
    public ReadOnlySpan<GoalTest> Goals(long step) => _goals.GetValueOrDefault(step);

    /// <summary>Did a test run at a moment, so that it is credited with what happened then?</summary>
    public bool Runs(long test, long at) => _tests.TryGetValue(test, out var known) && known.RunsAt(at);

    /// <summary>The tests on other steps of the same funnel that run beside a test.</summary>
    public ReadOnlySpan<Partner> Partners(long test) => _partners.GetValueOrDefault(test);
}
