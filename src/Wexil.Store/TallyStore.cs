using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;
using Wexil.Store.Recording.Projection;

namespace Wexil.Store;

/// <summary>Reads the tallies. Nothing here grows with traffic: no event and no visitor is read.</summary>
public sealed class TallyStore(Database database, TimeProvider time)
{
    /// <summary>How many visitors each step had, ever.</summary>
    public IReadOnlyDictionary<StepId, long> StepVisitors() =>
        database.Read(c =>
            c.Rows("SELECT step_id, visitors FROM step_tallies", row => (new StepId(row.GetInt64(0)), row.GetInt64(1)))
                .ToDictionary()
        );

    /// <summary>
    /// New visitors a day at a step, over the last seven days or as long as it has had any; 0 when nobody came.
    /// </summary>
    public double VisitorsPerDay(StepId step) =>
        database.Read(c => VisitorsPerDay(c, [step], time.GetUtcNow()).GetValueOrDefault(step));

    internal static IReadOnlyDictionary<StepId, double> VisitorsPerDay(
        SqliteConnection c,
        IEnumerable<StepId> steps,
        DateTimeOffset now
    )
    {
        // A first quarter of an hour says nothing about a day.
        double PerDay(long visitors, DateTimeOffset from) =>
            now - from >= TimeSpan.FromHours(6) ? visitors / (now - from).TotalDays : 0;
        return c.Rows(
                $"""
                SELECT s.value,
                  {StepVisitorsSince("s.value")},
                  (SELECT min(bucket) FROM step_buckets WHERE step_id = s.value AND bucket >= $1)
                FROM json_each($3) s
                """,
                row =>
                    (
                        Step: new StepId(row.GetInt64(0)),
                        PerDay: row.TimeOrNull(2) is { } from ? PerDay(row.GetInt64(1), from) : 0
                    ),
                [.. Week(now), EvidenceStore.Json(steps.Select(step => step.Value).Distinct())]
            )
            .ToDictionary(row => row.Step, row => row.PerDay);
    }

    /// <summary>From a moment on: quarter hours until the first midnight, and the days behind it.</summary>
    /// <remarks>$1 is the moment, $2 the midnight.</remarks>
    private static string StepVisitorsSince(string step) =>
        $"""
            coalesce((SELECT sum(visitors) FROM step_buckets
              WHERE step_id = {step} AND bucket >= $1 AND bucket < $2), 0)
            + coalesce((SELECT sum(visitors) FROM step_days WHERE step_id = {step} AND day >= $2), 0)
            """;

    private static object[] Week(DateTimeOffset now) => Since(now.AddDays(-7));

    private static object[] Since(DateTimeOffset from)
    {
        var moment = from.ToUnixTimeMilliseconds();
        return [moment, TimeBucket.DayOf(moment - 1) + TimeBucket.DayLength];
    }

    /// <summary>New visitors a day of every step over the last seven days, and how many it ever had.</summary>
    public IReadOnlyDictionary<StepId, StepTraffic> Traffic() =>
        database.Read(c =>
        {
            const int days = 7;
            return c.Rows(
                    $"SELECT t.step_id, t.visitors, {StepVisitorsSince("t.step_id")} FROM step_tallies t",
                    row =>
                        (new StepId(row.GetInt64(0)), new StepTraffic(row.GetInt64(2) / (double)days, row.GetInt64(1))),
                    Week(time.GetUtcNow())
                )
                .ToDictionary();
        });

    /// <summary>What the visitors of each funnel brought so far in a currency.</summary>
    public IReadOnlyDictionary<FunnelId, long> Earned(Currency currency) =>
        database.Read(c =>
            c.Rows(
                    """
                    SELECT f.id, (SELECT sum(earned) FROM source_money WHERE funnel_id = f.id AND currency = $1)
                    FROM funnels f
                    """,
                    row => (new FunnelId(row.GetInt64(0)), row.NumberOrNull(1) ?? 0),
                    currency.Code
                )
                .ToDictionary()
        );

    /// <summary>How many visitors each page of these tests had.</summary>
    public IReadOnlyList<PageVisitors> PageVisitors(IEnumerable<TestId> tests) =>
        database.Read(c =>
        {
            // Some tests have hundreds of phases; adding up here costs less than having them sorted.
            using var rows = new PreparedStatement(
                c,
                """
                SELECT test_id, page_id, visitors
                FROM test_tallies
                WHERE test_id IN (SELECT value FROM json_each(?1))
                ORDER BY test_id
                """
            ).Bind(1, EvidenceStore.Json(tests.Select(test => test.Value)));
            var (sums, own, current) = (new List<PageVisitors>(), new Dictionary<long, long>(), 0L);
            void Close()
            {
                foreach (var (page, visitors) in own)
                    sums.Add(new(new(current), new(page), visitors));
                own.Clear();
            }
            while (rows.Next())
            {
                if (rows.Number(0) != current)
                    Close();
                current = rows.Number(0);
                CollectionsMarshal.GetValueRefOrAddDefault(own, rows.Number(1), out _) += rows.Number(2);
            }
            Close();
            return sums;
        });

    /// <summary>Conversions of all tests in the last seven days.</summary>
    public long ConversionsLastWeek() =>
        database.Read(c =>
            // Nothing is credited to a test that was decided before.
            c.Number(
                """
                SELECT sum(
                  coalesce((SELECT sum(b.conversions) FROM test_buckets b
                    WHERE b.test_id = t.id AND b.bucket >= $1 AND b.bucket < $2), 0)
                  + coalesce((SELECT sum(d.conversions) FROM test_days d
                    WHERE d.test_id = t.id AND d.day >= $2), 0))
                FROM tests t
                WHERE t.decided_at IS NULL OR t.decided_at >= $1
                """,
                Week(time.GetUtcNow())
            ) ?? 0
        );

    /// <summary>
    /// Conversions of tests by days of 24 hours, so many from a moment on.
    /// </summary>
    public IReadOnlyDictionary<TestId, long[]> ConversionsByDay(
        IEnumerable<TestId> tests,
        DateTimeOffset from,
        int days
    ) =>
        database.Read(c =>
        {
            var sums = tests.ToDictionary(test => test, _ => new long[days]);
            foreach (
                var (test, day, conversions) in c.Rows(
                    $"""
                    SELECT t.value, d.value, (
                      SELECT coalesce(sum(b.conversions), 0) FROM test_buckets b
                      WHERE b.test_id = t.value AND b.bucket >= $2 + d.value * {TimeBucket.DayLength}
                        AND b.bucket < $2 + (d.value + 1) * {TimeBucket.DayLength})
                    FROM json_each($1) t, json_each($3) d
                    """,
                    row => (new TestId(row.GetInt64(0)), row.GetInt32(1), row.GetInt64(2)),
                    EvidenceStore.Json(sums.Keys.Select(test => test.Value)),
                    from.ToUnixTimeMilliseconds(),
                    EvidenceStore.Json(Enumerable.Range(0, days).Select(day => (long)day))
                )
            )
                sums[test][day] = conversions;
            return sums;
        });

    /// <summary>For each phase of a test the arms in the order of its pages.</summary>
    public IReadOnlyList<PhaseFacts> Phases(SplitTest test, IReadOnlyList<Phase> phases) =>
        database.Read(c => EvidenceStore.Arms(c, test, phases));

    /// <summary>
    /// What the visitors of each page of a test brought in a currency, in the order of its pages; empty where nobody
    /// bought.
    /// </summary>
    public IReadOnlyList<PageMoney> Money(SplitTest test, Currency currency) =>
        database.Read<IReadOnlyList<PageMoney>>(c =>
        {
            var visitors = c.Rows(
                    "SELECT page_id, sum(visitors) FROM test_tallies WHERE test_id = $1 GROUP BY page_id",
                    row => (row.GetInt64(0), row.GetInt64(1)),
                    test.Id.Value
                )
                .ToDictionary();
            var money = c.Rows(
                    """
                    SELECT page_id, sum(buyers), sum(orders), sum(earned), sum(squares)
                    FROM money_tallies
                    WHERE test_id = $1 AND currency = $2
                    GROUP BY page_id
                    """,
                    row => new PageMoney(
                        new(row.GetInt64(0)),
                        row.GetInt64(1),
                        row.GetInt64(2),
                        new(visitors.GetValueOrDefault(row.GetInt64(0)), row.GetInt64(3), row.GetDouble(4))
                    ),
                    test.Id.Value,
                    currency.Code
                )
                .ToDictionary(page => page.Page);
            if (money.Count == 0)
                return [];
            PageMoney Nothing(PageId page) => new(page, 0, 0, new(visitors.GetValueOrDefault(page.Value), 0, 0));
            return [.. test.Pages.Select(page => money.GetValueOrDefault(page) ?? Nothing(page))];
        });

    /// <summary>What every goal of a test had, by phase and page.</summary>
    public IReadOnlyList<GoalTally> Goals(TestId test) =>
        database.Read(c =>
            c.Rows(
                """
                SELECT t.goal_id, t.phase_id, t.page_id, t.visitors, t.times, t.value, t.squares
                FROM goals g JOIN goal_tallies t ON t.goal_id = g.id
                WHERE g.test_id = $1
                """,
                row => new GoalTally(
                    new(row.GetInt64(0)),
                    new(row.GetInt64(1)),
                    new(row.GetInt64(2)),
                    row.GetInt64(3),
                    row.GetInt64(4),
                    row.GetInt64(5),
                    row.GetDouble(6)
                ),
                test.Value
            )
        );

    /// <summary>How many visitors of each page of a test came to each later step since.</summary>
    public IReadOnlyDictionary<(PageId Page, StepId Step), long> Path(TestId test) =>
        database.Read(c =>
            c.Rows(
                    "SELECT page_id, step_id, visitors FROM path_tallies WHERE test_id = $1",
                    row => ((new PageId(row.GetInt64(0)), new StepId(row.GetInt64(1))), row.GetInt64(2)),
                    test.Value
                )
                .ToDictionary()
        );

    /// <summary>How visitors of each page of a test stayed, where that could be seen.</summary>
    public IReadOnlyList<PageStay> Stays(TestId test) =>
        database.Read(c =>
            c.Rows(
                "SELECT page_id, visitors, engaged, milliseconds FROM stay_tallies WHERE test_id = $1",
                row => new PageStay(
                    new(row.GetInt64(0)),
                    row.GetInt64(1),
                    row.GetInt64(2),
                    TimeSpan.FromMilliseconds(row.GetInt64(3))
                ),
                test.Value
            )
        );

    /// <summary>What visitors of a test had who share something.</summary>
    public IReadOnlyList<SegmentTally> Segments(TestId test, SegmentKind kind) =>
        database.Read(c =>
        {
            var isTogether = kind is SegmentKind.Device or SegmentKind.Returning or SegmentKind.Weekday;
            return c.Rows(
                    """
                    SELECT value, phase_id, page_id, visitors, conversions, earned, squares
                    FROM segment_tallies
                    WHERE test_id = $1 AND kind = $2
                    """,
                    row => new SegmentTally(
                        kind,
                        isTogether ? new VisitorTraits(row.GetInt64(0)).ValueOf(kind) : row.GetInt64(0),
                        new(row.GetInt64(1)),
                        new(row.GetInt64(2)),
                        new(row.GetInt64(3), row.GetInt64(4)),
                        new(row.GetInt64(3), row.GetInt64(5), row.GetDouble(6))
                    ),
                    test.Value,
                    isTogether ? VisitorTraits.Together : (int)kind
                )
                .GroupBy(tally => (tally.Value, tally.Phase, tally.Page))
                .Select(group => group.Aggregate((sum, tally) => sum + tally))
                .ToArray();
        });

    /// <summary>What all pages of a test had by the weekday of the visitors' coming.</summary>
    public IReadOnlyDictionary<DayOfWeek, Arm> ByWeekday(TestId test) =>
        Segments(test, SegmentKind.Weekday)
            .GroupBy(tally => (DayOfWeek)tally.Value)
            .ToDictionary(day => day.Key, day => day.Aggregate(new Arm(), (sum, tally) => sum + tally.Arm));

    /// <summary>What each page of a test had by quarter hours of its visitors' coming, in order of time.</summary>
    public IReadOnlyList<PageBucket> PageBuckets(TestId test) =>
        database.Read(c =>
            c.Rows(
                """
                SELECT page_id, bucket, visitors, conversions, earned, squares
                FROM page_buckets
                WHERE test_id = $1
                ORDER BY bucket
                """,
                row => new PageBucket(
                    new(row.GetInt64(0)),
                    row.Time(1),
                    new(row.GetInt64(2), row.GetInt64(3)),
                    row.GetInt64(4),
                    row.GetDouble(5)
                ),
                test.Value
            )
        );

    /// <summary>What each page of a test brought in each phase in a currency.</summary>
    public IReadOnlyDictionary<(PhaseId Phase, PageId Page), (long Buyers, long Orders, long Earned)> MoneyByPhase(
        TestId test,
        Currency currency
    ) =>
        database.Read(c =>
            c.Rows(
                    """
                    SELECT phase_id, page_id, buyers, orders, earned
                    FROM money_tallies
                    WHERE test_id = $1 AND currency = $2
                    """,
                    row =>
                        (
                            (new PhaseId(row.GetInt64(0)), new PageId(row.GetInt64(1))),
                            (row.GetInt64(2), row.GetInt64(3), row.GetInt64(4))
                        ),
                    test.Value,
                    currency.Code
                )
                .ToDictionary()
        );

    /// <summary>Visitors who were shown a page without being drawn for it, by reason and page.</summary>
    public IReadOnlyList<ApartArm> Apart(TestId test) =>
        database.Read(c =>
            c.Rows(
                """
                SELECT page_id, reason, visitors, conversions
                FROM apart_tallies
                WHERE test_id = $1
                ORDER BY reason, page_id
                """,
                row => new ApartArm(
                    new(row.GetInt64(0)),
                    (ExclusionReason)row.GetInt64(1),
                    new(row.GetInt64(2), row.GetInt64(3))
                ),
                test.Value
            )
        );

    /// <summary>How many visits to a step were served and left out, by reason.</summary>
    public IReadOnlyDictionary<NotCountedReason, long> LeftOut(StepId step) =>
        database
            .Read(c =>
                c.Rows(
                    "SELECT reason, visits FROM left_out WHERE step_id = $1",
                    row => ((NotCountedReason)row.GetInt64(0), row.GetInt64(1)),
                    step.Value
                )
            )
            .ToDictionary();

    /// <summary>
    /// The tests whose visitors were crossed with a test's, and what came of each pair of pages. The earlier step's
    /// test is the first.
    /// </summary>
    public IReadOnlyList<(TestId First, TestId Second, IReadOnlyList<PairCell> Cells)> Pairs(TestId test) =>
        database.Read(c =>
            c.Rows(
                    """
                    SELECT test_id, other_test_id, page_id, other_page_id, visitors, conversions, earned
                    FROM pair_tallies
                    WHERE test_id = $1
                    UNION ALL SELECT test_id, other_test_id, page_id, other_page_id, visitors, conversions, earned
                    FROM pair_tallies
                    WHERE other_test_id = $1
                    """,
                    row =>
                        (
                            First: new TestId(row.GetInt64(0)),
                            Second: new TestId(row.GetInt64(1)),
                            Cell: new PairCell(
                                new(row.GetInt64(2)),
                                new(row.GetInt64(3)),
                                new(row.GetInt64(4), row.GetInt64(5)),
                                row.GetInt64(6)
                            )
                        ),
                    test.Value
                )
                .GroupBy(row => (row.First, row.Second))
                .Select(group =>
                    (group.Key.First, group.Key.Second, (IReadOnlyList<PairCell>)[.. group.Select(row => row.Cell)])
                )
                .ToArray()
        );

    /// <summary>
    /// What the visitors did of each combination of versions of the sections on a step's pages, as far as combinations
    /// are counted.
    /// </summary>
    public IReadOnlyList<CombinationTally> Combinations(StepId host) =>
        database.Read(c =>
            c.Rows(
                "SELECT places, visitors, conversions FROM combination_tallies WHERE host_id = $1",
                row => new CombinationTally(
                    CombinationTally.Parse(row.GetString(0)),
                    new(row.GetInt64(1), row.GetInt64(2))
                ),
                host.Value
            )
        );

    /// <summary>
    /// How many visitors each page of a phase has been given, those included whose visit is recorded but not counted
    /// yet.
    /// </summary>
    public IReadOnlyDictionary<PageId, long> Turns(TestId test, PhaseId phase) =>
        database.Read(c =>
        {
            var turns = c.Rows(
                    "SELECT page_id, visitors FROM test_tallies WHERE test_id = $1 AND phase_id = $2",
                    row => (new PageId(row.GetInt64(0)), row.GetInt64(1)),
                    test.Value,
                    phase.Value
                )
                .ToDictionary();
            foreach (
                var (page, fresh) in c.Rows(
                    """
                    SELECT page_id, count(DISTINCT visitor) FROM events e
                      WHERE seq > (SELECT mark FROM projection) AND kind = 2 AND phase_id = $1
                      AND NOT EXISTS (SELECT 1 FROM enrolments n WHERE n.test_id = $2 AND n.visitor = e.visitor)
                        GROUP BY page_id
                    """,
                    row => (new PageId(row.GetInt64(0)), row.GetInt64(1)),
                    phase.Value,
                    test.Value
                )
            )
                turns[page] = turns.GetValueOrDefault(page) + fresh;
            return turns;
        });
}
