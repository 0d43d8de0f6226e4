using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;

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
        database.Read(c =>
        {
            var now = time.GetUtcNow();
            var (visitors, first) = c.Rows(
                    "SELECT sum(visitors), min(bucket) FROM step_buckets WHERE step_id = $1 AND bucket >= $2",
                    row => (row.NumberOrNull(0) ?? 0, row.TimeOrNull(1)),
                    step.Value,
                    now.AddDays(-7).ToUnixTimeMilliseconds()
                )
                .Single();
            // A first quarter of an hour says nothing about a day.
            return first is { } from && now - from >= TimeSpan.FromHours(6) ? visitors / (now - from).TotalDays : 0;
        });

    /// <summary>New visitors a day of every step over the last seven days, and how many it ever had.</summary>
    public IReadOnlyDictionary<StepId, StepTraffic> Traffic() =>
        database.Read(c =>
        {
            const int days = 7;
            return c.Rows(
                    """
                    SELECT t.step_id, t.visitors, coalesce((SELECT sum(b.visitors) FROM step_buckets b
                      WHERE b.step_id = t.step_id AND b.bucket >= $1), 0)
                    FROM step_tallies t
                    """,
                    row =>
                        (new StepId(row.GetInt64(0)), new StepTraffic(row.GetInt64(2) / (double)days, row.GetInt64(1))),
                    time.GetUtcNow().AddDays(-days).ToUnixTimeMilliseconds()
                )
                .ToDictionary();
        });

    /// <summary>What a funnel's visitors brought so far in a currency.</summary>
    public long Earned(FunnelId funnel, Currency currency) =>
        database.Read(c =>
            c.Number(
                "SELECT sum(earned) FROM source_money WHERE funnel_id = $1 AND currency = $2",
                funnel.Value,
                currency.Code
            ) ?? 0
        );

    /// <summary>How many visitors each page of these tests had.</summary>
    public IReadOnlyDictionary<(TestId Test, PageId Page), long> PageVisitors(IEnumerable<TestId> tests) =>
        database.Read(c =>
            c.Rows(
                    """
                    SELECT test_id, page_id, sum(visitors)
                    FROM test_tallies
                    WHERE test_id IN (SELECT value FROM json_each($1))
                    GROUP BY test_id, page_id
                    """,
                    row => ((new TestId(row.GetInt64(0)), new PageId(row.GetInt64(1))), row.GetInt64(2)),
                    $"[{string.Join(',', tests.Select(test => test.Value))}]"
                )
                .ToDictionary()
        );

    /// <summary>New visitors of all steps and conversions of all tests since a moment.</summary>
    public (long Visitors, long Conversions) Since(DateTimeOffset from) =>
        database.Read(c =>
            (
                c.Number(
                    """
                    SELECT sum((SELECT sum(b.visitors) FROM step_buckets b
                      WHERE b.step_id = s.id AND b.bucket >= $1))
                    FROM steps s
                    """,
                    from.ToUnixTimeMilliseconds()
                ) ?? 0,
                // Nothing is credited to a test that was decided before.
                c.Number(
                    """
                    SELECT sum((SELECT sum(b.conversions) FROM test_buckets b
                      WHERE b.test_id = t.id AND b.bucket >= $1))
                    FROM tests t
                    WHERE t.decided_at IS NULL OR t.decided_at >= $1
                    """,
                    from.ToUnixTimeMilliseconds()
                ) ?? 0
            )
        );

    /// <summary>Visitors and conversions of a test by quarter hours, from a moment on.</summary>
    public IReadOnlyList<TestBucket> Buckets(TestId test, DateTimeOffset from) =>
        database.Read(c =>
            c.Rows(
                """
                SELECT bucket, sum(visitors), sum(conversions) FROM (
                  SELECT bucket, visitors, 0 AS conversions FROM page_buckets WHERE test_id = $1 AND bucket >= $2
                  UNION ALL SELECT bucket, 0, conversions FROM test_buckets WHERE test_id = $1 AND bucket >= $2
                ) GROUP BY bucket ORDER BY bucket
                """,
                row => new TestBucket(row.Time(0), row.GetInt64(1), row.GetInt64(2)),
                test.Value,
                from.ToUnixTimeMilliseconds()
            )
        );

    /// <summary>When the last visitor of the test converted, and how many came since; null when none has yet.</summary>
    public ConversionGap? Silence(TestId test) =>
        database.Read(c =>
            c.Rows(
                    """
                    SELECT visitors_since, last_conversion_at
                    FROM test_silences
                    WHERE test_id = $1 AND last_conversion_at IS NOT NULL
                    """,
                    row => new ConversionGap(row.GetInt64(0), row.Time(1)),
                    test.Value
                )
                .SingleOrDefault()
        );

    /// <summary>For each phase of a test the arms in the order of its pages.</summary>
    public IReadOnlyList<PhaseFacts> Phases(SplitTest test, IReadOnlyList<Phase> phases) =>
        database.Read(c =>
        {
            var tallies = c.Rows(
                    "SELECT phase_id, page_id, visitors, conversions FROM test_tallies WHERE test_id = $1",
                    row => ((Phase: row.GetInt64(0), Page: row.GetInt64(1)), new Arm(row.GetInt64(2), row.GetInt64(3))),
                    test.Id.Value
                )
                .ToDictionary();
            // A page that came in later had no weight before.
            return phases
                .Select(phase => new PhaseFacts(
                    [.. test.Pages.Select((_, i) => i < phase.Weights.Count ? phase.Weights[i] : 0)],
                    [.. test.Pages.Select(page => tallies.GetValueOrDefault((phase.Id.Value, page.Value)))]
                ))
                .ToArray();
        });

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

    /// <summary>
    /// For each phase of a test what the visitors of each page brought in a currency, in the order of its pages; null
    /// where nobody bought.
    /// </summary>
    public IReadOnlyList<IReadOnlyList<RevenueSample>>? MoneyPhases(
        SplitTest test,
        IReadOnlyList<Phase> phases,
        IReadOnlyList<PhaseFacts> counted,
        Currency currency
    ) =>
        database.Read(c =>
        {
            var sums = c.Rows(
                    "SELECT phase_id, page_id, earned, squares FROM money_tallies WHERE test_id = $1 AND currency = $2",
                    row => ((row.GetInt64(0), row.GetInt64(1)), (Earned: row.GetInt64(2), Squares: row.GetDouble(3))),
                    test.Id.Value,
                    currency.Code
                )
                .ToDictionary();
            if (sums.Count == 0)
                return null;
            RevenueSample At(Phase phase, int i, int page)
            {
                var sum = sums.GetValueOrDefault((phase.Id.Value, test.Pages[page].Value));
                return new(counted[i].Arms[page].Visitors, sum.Earned, sum.Squares);
            }
            return phases
                .Select((phase, i) => test.Pages.Select((_, page) => At(phase, i, page)).ToArray())
                .ToArray<IReadOnlyList<RevenueSample>>();
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
