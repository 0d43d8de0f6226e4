using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Sales;
using Wexil.Core.Visitors;

namespace Wexil.Store.Recording.Projection;

/// <summary>Where a step stands, its number among all that its funnel ever had, and what reaching it means.</summary>
/// <param name="TellsLeads">An opt-in step with an outside page leads here, so that nothing but the arrival tells of a
/// lead.</param>
internal readonly record struct StepRole(long Funnel, int Position, int Number, FunnelOutcome? Outcome, bool TellsLeads)
{
    /// <summary>
    /// The step on whose pages the section is, at whose position it stands, and which nobody reaches; 0 for a step of
    /// the path.
    /// </summary>
    public long Host { get; init; }

    public bool IsSection => Host != 0;

    /// <summary>A visitor's row has a bit for each step of the funnel.</summary>
    public const int MaxSteps = 63;

    public long Bit => 1L << Number;
}

/// <summary>A test that counts visitors who reach a step, and when it ran.</summary>
/// <param name="Host">The step on whose pages its section is; 0 where it tests whole pages.</param>
internal sealed record GoalTest(long Test, long Host, (long From, long Until)[] Runs)
{
    public bool RunsAt(long at) => Array.Exists(Runs, run => run.From <= at && at < run.Until);

    /// <summary>
    /// Does something count that a visitor of a place did? What those outside the test do tells of no page's rate, so
    /// it counts during a pause too: most of them came then. Who is apart for a combination was drawn like the others.
    /// </summary>
    public bool Counts(Place place, long at) => place.Apart is not (null or ExclusionReason.Combination) || RunsAt(at);
}

/// <summary>A goal of a test.</summary>
/// <param name="IsMain">The test's verdict goes by it.</param>
/// <param name="From">Counts with the visitors who came from then on.</param>
internal sealed record TestGoal(long Id, GoalTest Test, bool IsMain, Goal Goal, long From, long Until)
{
    /// <summary>Does something count that a visitor of a place did?</summary>
    public bool Counts(Place place, long at) => place.At >= From && at < Until && Test.Counts(place, at);
}

/// <summary>A test on another step of the same funnel.</summary>
internal readonly record struct Partner(long Test, bool IsEarlier);

/// <summary>
/// Which steps are goals of which tests, what reaching them means, and whose visitors are crossed with whose.
/// </summary>
internal sealed class ProjectionContext
{
    /// <summary>Tests whose visitors are crossed with those of another.</summary>
    private const int MaxPartners = 8;

    private readonly Dictionary<long, StepRole> _steps;
    private readonly Dictionary<long, GoalTest[]> _goals;
    private readonly Dictionary<long, GoalTest> _tests;
    private readonly Dictionary<long, Partner[]> _partners;
    private readonly Dictionary<long, TestGoal> _goalsById;
    private readonly Dictionary<long, TestGoal[]> _stepGoals,
        _saleGoals,
        _optInGoals;
    private readonly Dictionary<long, GoalTest[]> _earlier,
        _testsOf;
    private readonly TimeZoneInfo _zone;
    private readonly ExchangeRates _rates;
    private (long Quarter, DateOnly Day) _lastDay = (-1, default);

    public ProjectionContext(SqliteConnection connection)
    {
        var steps = connection.Rows(
            $"SELECT {FunnelStore.StepColumns} FROM steps ORDER BY funnel_id, position",
            FunnelStore.MapStep
        );
        var tests = connection.Rows(
            "SELECT id, goal_step_id, step_id, started_at, decided_at FROM tests",
            row => new TestRow(
                row.GetInt64(0),
                row.GetInt64(1),
                row.GetInt64(2),
                row.GetInt64(3),
                row.NumberOrNull(4) ?? long.MaxValue
            )
        );
        _steps = Roles(connection, steps);
        _tests = WithRuns(connection, tests);
        var goals = Goals(connection);
        _goalsById = goals.ToDictionary(goal => goal.Id);
        _stepGoals = GoalsBy(goals, GoalKind.Step, goal => goal.Goal.Step!.Value.Value);
        _saleGoals = GoalsBy(goals, GoalKind.Sale, goal => goal.Test.Test);
        var funnelOf = tests.ToDictionary(test => test.Id, test => _steps[test.Step].Funnel);
        _optInGoals = GoalsBy(goals, GoalKind.OptIn, goal => funnelOf[goal.Test.Test]);
        var otherGoal = goals.Where(goal => goal.IsMain).Select(goal => goal.Test.Test).ToHashSet();
        _goals = TestsBy(tests.Where(test => !otherGoal.Contains(test.Id)), test => test.Goal);
        _testsOf = TestsBy(tests, test => test.Step);
        _earlier = Earlier(steps, tests);
        _partners = Crossed(tests);
        _rates = RateStore.Read(
            connection,
            Currency.Find(Setting(connection, SettingStore.CurrencyName)) ?? Currency.Default
        );
        _zone =
            Setting(connection, SettingStore.ZoneName) is { } zone
            && TimeZoneInfo.TryFindSystemTimeZoneById(zone, out var found)
                ? found
                : TimeZoneInfo.Utc;
    }

    private readonly record struct TestRow(long Id, long Goal, long Step, long From, long Until)
    {
        public bool Overlaps(TestRow other) => other.From < Until && From < other.Until;
    }

    // The page comes before its sections, and of two sections on one page that which was marked first.
    private bool IsEarlier(long step, long than)
    {
        var (one, other) = (_steps[step], _steps[than]);
        return (one.Position, one.IsSection, step).CompareTo((other.Position, other.IsSection, than)) < 0;
    }

    /// <summary>The tables that it is read from.</summary>
    public static bool IsFrom(string table) =>
        table is "steps" or "pages" or "phases" or "tests" or "sources" or "goals" or "settings" or "rates";

    public StepRole? Role(long step) => _steps.TryGetValue(step, out var role) ? role : null;

    /// <summary>The tests whose goal is to reach the step.</summary>
    public ReadOnlySpan<GoalTest> Goals(long step) => _goals.GetValueOrDefault(step);

    /// <summary>Did a test run at a moment, so that it is credited with what happened then?</summary>
    public bool Runs(long test, long at) => _tests.TryGetValue(test, out var known) && known.RunsAt(at);

    /// <summary>The tests on other steps of the same funnel that run beside a test.</summary>
    public ReadOnlySpan<Partner> Partners(long test) => _partners.GetValueOrDefault(test);

    public TestGoal? Goal(long id) => _goalsById.GetValueOrDefault(id);

    /// <summary>Goals besides a test's goal step that are met by reaching the step.</summary>
    public ReadOnlySpan<TestGoal> StepGoals(long step) => _stepGoals.GetValueOrDefault(step);

    /// <summary>Goals of a test that are met by a sale.</summary>
    public ReadOnlySpan<TestGoal> SaleGoals(long test) => _saleGoals.GetValueOrDefault(test);

    /// <summary>Goals that are met by an opt-in on the step's funnel.</summary>
    public ReadOnlySpan<TestGoal> OptInGoals(long step) =>
        _steps.TryGetValue(step, out var role) ? _optInGoals.GetValueOrDefault(role.Funnel) : default;

    /// <summary>The tests on the steps before a step.</summary>
    public ReadOnlySpan<GoalTest> Earlier(long step) => _earlier.GetValueOrDefault(step);

    /// <summary>The tests that a step has and had.</summary>
    public ReadOnlySpan<GoalTest> TestsOf(long step) => _testsOf.GetValueOrDefault(step);

    /// <summary>The currency that the owner counts in.</summary>
    public string Own => _rates.Own.Code;

    public IReadOnlyCollection<string> RatedCurrencies => _rates.Currencies;

    /// <summary>
    /// What an amount was worth in the owner's currency on the owner's day of a moment; null where no rate is known.
    /// </summary>
    public long? Worth(string currency, long amount, long at) => _rates.Worth(currency, amount, Day(at));

    /// <summary>The owner's weekday at a moment.</summary>
    public DayOfWeek Weekday(long at) => Day(at).DayOfWeek;

    private DateOnly Day(long at)
    {
        var quarter = TimeBucket.StartOf(at);
        if (_lastDay.Quarter != quarter)
            _lastDay = (
                quarter,
                DateOnly.FromDateTime(
                    TimeZoneInfo.ConvertTime(DateTimeOffset.FromUnixTimeMilliseconds(at), _zone).DateTime
                )
            );
        return _lastDay.Day;
    }

    private static string? Setting(SqliteConnection connection, string name) =>
        connection.Text("SELECT value FROM settings WHERE name = $1", name);

    private static Dictionary<long, StepRole> Roles(SqliteConnection connection, IEnumerable<Step> steps)
    {
        var hasOutside = connection
            .Rows("SELECT DISTINCT step_id FROM pages WHERE outside IS NOT NULL", row => row.GetInt64(0))
            .ToHashSet();
        var numbers = connection
            .Rows("SELECT id, number FROM steps", row => (row.GetInt64(0), row.GetInt32(1)))
            .ToDictionary();
        var roles = new Dictionary<long, StepRole>();
        foreach (var funnel in steps.GroupBy(step => step.Funnel))
        {
            Step[] inOrder = [.. funnel.Where(step => !step.IsSection)];
            var behindOutside = inOrder
                .Where(step => step.Kind == StepKind.OptIn && hasOutside.Contains(step.Id.Value))
                .Select(step => FunnelPath.Yes(inOrder, step)?.Id)
                .ToHashSet();
            foreach (var step in inOrder)
                roles[step.Id.Value] = new(
                    funnel.Key.Value,
                    step.Position,
                    numbers[step.Id.Value],
                    FunnelPath.OutcomeOf(inOrder, step),
                    behindOutside.Contains(step.Id)
                );
            foreach (var section in funnel.Where(step => step.IsSection))
                roles[section.Id.Value] = roles[section.Host!.Value.Value] with
                {
                    Host = section.Host!.Value.Value,
                    Outcome = null,
                    TellsLeads = false,
                };
        }
        return roles;
    }

    private Dictionary<long, GoalTest> WithRuns(SqliteConnection connection, IEnumerable<TestRow> tests)
    {
        var runs = connection
            .Rows("SELECT test_id, started_at, ended_at FROM phases", row =>
                (Test: row.GetInt64(0), From: row.GetInt64(1), Until: row.NumberOrNull(2) ?? long.MaxValue)
            )
            .ToLookup(run => run.Test, run => (run.From, run.Until));
        return tests.ToDictionary(
            test => test.Id,
            test => new GoalTest(test.Id, _steps[test.Step].Host, [.. Joined(runs[test.Id])])
        );
    }

    /// <summary>Phases that follow one another are one run: weights that follow the evidence begin hundreds.</summary>
    private static List<(long From, long Until)> Joined(IEnumerable<(long From, long Until)> phases)
    {
        var runs = new List<(long From, long Until)>();
        foreach (var phase in phases.Order())
        {
            if (runs is [.., var last] && last.Until == phase.From)
                runs[^1] = (last.From, phase.Until);
            else
                runs.Add(phase);
        }
        return runs;
    }

    private List<TestGoal> Goals(SqliteConnection connection) =>
        connection.Rows("SELECT id, test_id, is_main, spec, counts_from, dropped_at FROM goals", row => new TestGoal(
            row.GetInt64(0),
            _tests[row.GetInt64(1)],
            row.GetBoolean(2),
            Core.Goals.Goal.Parse(row.GetString(3)),
            row.GetInt64(4),
            row.NumberOrNull(5) ?? long.MaxValue
        ));

    private static Dictionary<long, TestGoal[]> GoalsBy(
        IEnumerable<TestGoal> goals,
        GoalKind kind,
        Func<TestGoal, long> key
    ) =>
        goals
            .Where(goal => goal.Goal.Kind == kind)
            .GroupBy(key)
            .ToDictionary(group => group.Key, group => group.ToArray());

    private Dictionary<long, GoalTest[]> TestsBy(IEnumerable<TestRow> tests, Func<TestRow, long> key) =>
        tests.GroupBy(key).ToDictionary(group => group.Key, group => group.Select(test => _tests[test.Id]).ToArray());

    private Dictionary<long, GoalTest[]> Earlier(IEnumerable<Step> steps, IEnumerable<TestRow> tests)
    {
        var byFunnel = tests.ToLookup(test => _steps[test.Step].Funnel);
        GoalTest[] Before(Step step) =>
            [
                .. byFunnel[step.Funnel.Value]
                    .Where(test => _steps[test.Step].Position < step.Position)
                    .Select(test => _tests[test.Id]),
            ];
        return steps
            .Select(step => (step.Id, Tests: Before(step)))
            .Where(row => row.Tests.Length > 0)
            .ToDictionary(row => row.Id.Value, row => row.Tests);
    }

    private Dictionary<long, Partner[]> Crossed(IReadOnlyList<TestRow> tests)
    {
        var byFunnel = tests.ToLookup(test => _steps[test.Step].Funnel);
        // Sections of one page are crossed by their combinations.
        bool AreOnOnePage(TestRow one, TestRow other) =>
            _steps[one.Step].Host is not 0 and var host && _steps[other.Step].Host == host;
        Partner[] PartnersOf(TestRow test) =>
            [
                .. byFunnel[_steps[test.Step].Funnel]
                    .Where(other => other.Step != test.Step && !AreOnOnePage(other, test) && other.Overlaps(test))
                    .OrderByDescending(other => other.Id)
                    .Take(MaxPartners)
                    .Select(other => new Partner(other.Id, IsEarlier(other.Step, test.Step))),
            ];
        return tests
            .Select(test => (test.Id, Partners: PartnersOf(test)))
            .Where(row => row.Partners.Length > 0)
            .ToDictionary(row => row.Id, row => row.Partners);
    }
}
