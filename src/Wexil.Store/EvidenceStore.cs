using System.Text.Json;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;

namespace Wexil.Store;

/// <summary>All that the result of a test is computed from, as it was at one moment.</summary>
/// <param name="Pages">In the order of the test.</param>
/// <param name="Phases">The oldest first.</param>
/// <param name="Goals">The main one first.</param>
/// <param name="Counted">By phase, the arms in the order of the pages.</param>
/// <param name="Money">By phase, what visitors brought in the owner's currency, in the order of the pages; null where
/// nobody bought.</param>
/// <param name="Large">By page, the buyers who brought most.</param>
/// <param name="Gap">When the last visitor converted, and how many came since; null while none has.</param>
/// <param name="VisitorsPerDay">New visitors a day at the step over the last seven days.</param>
/// <param name="PastByGoal">The looks so far, by page; empty where there was none.</param>
public sealed record TestEvidence(
    SplitTest Test,
    IReadOnlyList<Page> Pages,
    IReadOnlyList<Phase> Phases,
    IReadOnlyList<TestGoalRow> Goals,
    IReadOnlyList<PhaseFacts> Counted,
    IReadOnlyList<IReadOnlyList<RevenueSample>>? Money,
    IReadOnlyList<LargeBuyers> Large,
    ConversionGap? Gap,
    double VisitorsPerDay,
    IReadOnlyDictionary<PageId, PastLooks> PastByGoal,
    IReadOnlyDictionary<PageId, PastLooks> PastByMoney
);

/// <summary>
/// Reads what results are computed from, of many tests in as many statements as of one, all in one view of the data.
/// </summary>
public sealed class EvidenceStore(Database database, TimeProvider time)
{
    /// <param name="currency">The owner's.</param>
    public IReadOnlyList<TestEvidence> Read(IReadOnlyList<(SplitTest Test, Step Step)> tests, Currency currency) =>
        database.Read(c =>
        {
            var ids = Json(tests.Select(test => test.Test.Id.Value));
            var pages = PageStore.FindAll(c, tests.SelectMany(test => test.Test.Pages));
            var phases = TestPhases.Of(c, ids);
            var goals = GoalStore.ForTests(c, ids);
            var counted = Counted(c, ids);
            var money = Money(c, ids, currency);
            var large = Large(c, ids, currency);
            var gaps = Gaps(c, ids);
            var perDay = TallyStore.VisitorsPerDay(c, tests.Select(test => PlaceOf(test.Step)), time.GetUtcNow());
            var past = LookStore.Past(c, ids);
            TestEvidence Of(SplitTest test, Step step)
            {
                Phase[] own = [.. phases[test.Id]];
                var arms = Arms(test, own, counted);
                return new(
                    test,
                    [.. test.Pages.Select(page => pages[page])],
                    own,
                    [.. goals[test.Id]],
                    arms,
                    Samples(test, own, arms, money[test.Id]),
                    [.. test.Pages.Select(page => large.GetValueOrDefault((test.Id, page), new(0, [])))],
                    gaps.TryGetValue(test.Id, out var gap) ? gap : null,
                    perDay.GetValueOrDefault(PlaceOf(step)),
                    past[(test.Id, false)].ToDictionary(),
                    past[(test.Id, true)].ToDictionary()
                );
            }
            return tests.Select(test => Of(test.Test, test.Step)).ToArray();
        });

    /// <summary>By phase, the arms of one test in the order of its pages.</summary>
    internal static PhaseFacts[] Arms(SqliteConnection c, SplitTest test, IReadOnlyList<Phase> phases) =>
        Arms(test, phases, Counted(c, Json([test.Id.Value])));

    private static StepId PlaceOf(Step step) => step.Host ?? step.Id;

    internal static string Json(IEnumerable<long> ids) => $"[{string.Join(',', ids)}]";

    private static Dictionary<(long Test, long Phase, long Page), Arm> Counted(SqliteConnection c, string tests) =>
        c.Rows(
                """
                SELECT test_id, phase_id, page_id, visitors, conversions
                FROM test_tallies
                WHERE test_id IN (SELECT value FROM json_each($1))
                """,
                row => ((row.GetInt64(0), row.GetInt64(1), row.GetInt64(2)), new Arm(row.GetInt64(3), row.GetInt64(4))),
                tests
            )
            .ToDictionary();

    // A page that came in later had no weight before.
    private static PhaseFacts[] Arms(
        SplitTest test,
        IReadOnlyList<Phase> phases,
        Dictionary<(long Test, long Phase, long Page), Arm> counted
    ) =>
        [
            .. phases.Select(phase => new PhaseFacts(
                [.. test.Pages.Select((_, i) => i < phase.Weights.Count ? phase.Weights[i] : 0)],
                [.. test.Pages.Select(page => counted.GetValueOrDefault((test.Id.Value, phase.Id.Value, page.Value)))]
            )),
        ];

    private readonly record struct MoneySum(long Phase, long Page, long Earned, double Squares);

    private static ILookup<TestId, MoneySum> Money(SqliteConnection c, string tests, Currency currency) =>
        c.Rows(
                """
                SELECT test_id, phase_id, page_id, earned, squares
                FROM money_tallies
                WHERE test_id IN (SELECT value FROM json_each($1)) AND currency = $2
                """,
                row =>
                    (
                        Test: new TestId(row.GetInt64(0)),
                        Sum: new MoneySum(row.GetInt64(1), row.GetInt64(2), row.GetInt64(3), row.GetDouble(4))
                    ),
                tests,
                currency.Code
            )
            .ToLookup(row => row.Test, row => row.Sum);

    private static Dictionary<(TestId, PageId), LargeBuyers> Large(
        SqliteConnection c,
        string tests,
        Currency currency
    ) =>
        c.Rows(
                $"""
                SELECT test_id, page_id, sum(buyers), (
                  SELECT json_group_array(earned) FROM (
                    SELECT earned FROM earnings e
                    WHERE e.test_id = m.test_id AND e.currency = $2 AND e.page_id = m.page_id
                    ORDER BY earned DESC LIMIT {LargeBuyers.Count}))
                FROM money_tallies m
                WHERE test_id IN (SELECT value FROM json_each($1)) AND currency = $2
                GROUP BY test_id, page_id
                """,
                row =>
                    (
                        (new TestId(row.GetInt64(0)), new PageId(row.GetInt64(1))),
                        new LargeBuyers(row.GetInt64(2), JsonSerializer.Deserialize<long[]>(row.GetString(3))!)
                    ),
                tests,
                currency.Code
            )
            .ToDictionary();

    private static IReadOnlyList<RevenueSample>[]? Samples(
        SplitTest test,
        IReadOnlyList<Phase> phases,
        IReadOnlyList<PhaseFacts> counted,
        IEnumerable<MoneySum> money
    )
    {
        var sums = money.ToDictionary(sum => (sum.Phase, sum.Page));
        if (sums.Count == 0)
            return null;
        RevenueSample At(int phase, int page)
        {
            var sum = sums.GetValueOrDefault((phases[phase].Id.Value, test.Pages[page].Value));
            return new(counted[phase].Arms[page].Visitors, sum.Earned, sum.Squares);
        }
        return [.. phases.Select((_, phase) => test.Pages.Select((_, page) => At(phase, page)).ToArray())];
    }

    private static Dictionary<TestId, ConversionGap> Gaps(SqliteConnection c, string tests) =>
        c.Rows(
                """
                SELECT test_id, visitors_since, last_conversion_at
                FROM test_silences
                WHERE test_id IN (SELECT value FROM json_each($1)) AND last_conversion_at IS NOT NULL
                """,
                row => (new TestId(row.GetInt64(0)), new ConversionGap(row.GetInt64(1), row.Time(2))),
                tests
            )
            .ToDictionary();
}
