using System.Data;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.Statistics;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>A page on its way through the plan, at a look.</summary>
/// <param name="Progress">How much of the plan was done, 1 at its end.</param>
/// <param name="Evidence">As a share of what a call asks for, above 0 while the page is ahead.</param>
public sealed record LookPoint(PageId Page, bool OnMoney, DateTimeOffset At, double Progress, double Evidence);

/// <summary>What a look at a test saw.</summary>
/// <param name="ByGoal">The looks so far, by page, this one included; empty where nothing can be said yet.</param>
/// <param name="Stood">How the test stood, as a word.</param>
/// <param name="Base">What visitors bring and how it is spread, where that is to be known from now on.</param>
public sealed record TestLook(
    TestId Test,
    IReadOnlyDictionary<PageId, PastLooks> ByGoal,
    IReadOnlyDictionary<PageId, PastLooks> ByMoney,
    string Stood,
    RevenueBase? Base
)
{
    /// <summary>The rate of all pages together, where the expected one is to be corrected by it now.</summary>
    public double? SeenRate { get; init; }

    /// <summary>Where each page stands on its way.</summary>
    public IReadOnlyList<LookPoint> Points { get; init; } = [];
}

/// <summary>The looks that the program takes at running tests, and what the owner was told of them.</summary>
public sealed class LookStore(Database database, Journal journal, TimeProvider time)
{
    // Of a plan, so many points say as much as all looks do.
    private const double LeastStep = 0.005;

    /// <summary>The way of each page through the plan, in order of time.</summary>
    public IReadOnlyList<LookPoint> Points(TestId test, bool onMoney) =>
        database.Read(c =>
            c.Rows(
                """
                SELECT page_id, at, progress, evidence
                FROM look_points
                WHERE test_id = $1 AND on_money = $2
                ORDER BY page_id, at
                """,
                row => new LookPoint(new(row.GetInt64(0)), onMoney, row.Time(1), row.GetDouble(2), row.GetDouble(3)),
                test.Value,
                onMoney ? 1 : 0
            )
        );

    /// <summary>The looks at a test so far, by page.</summary>
    public IReadOnlyDictionary<PageId, PastLooks> Past(TestId test, bool onMoney) =>
        database.Read(c => Past(c, EvidenceStore.Json([test.Value]))[(test, onMoney)].ToDictionary());

    /// <summary>The looks at tests so far, by test and main goal or money.</summary>
    /// <param name="tests">Their numbers, as JSON.</param>
    internal static ILookup<(TestId Test, bool OnMoney), KeyValuePair<PageId, PastLooks>> Past(
        SqliteConnection c,
        string tests
    ) =>
        c.Rows(
                """
                SELECT test_id, on_money, page_id, ahead, behind, end_difference, end_variance, called, progress
                FROM looks
                WHERE test_id IN (SELECT value FROM json_each($1))
                """,
                row =>
                    (
                        Of: (new TestId(row.GetInt64(0)), row.GetBoolean(1)),
                        Look: KeyValuePair.Create(new PageId(row.GetInt64(2)), MapPast(row))
                    ),
                tests
            )
            .ToLookup(row => row.Of, row => row.Look);

    private static PastLooks MapPast(SqliteDataReader row) =>
        new(row.GetDouble("ahead"), row.GetDouble("behind"))
        {
            End = row.DoubleOrNull("end_difference") is { } difference
                ? new PlanEnd(difference, row.GetDouble("end_variance"))
                : null,
            Called = row.DoubleOrNull("called"),
            Progress = row.GetDouble("progress"),
        };

    /// <summary>When each test was last looked at and how it stood then.</summary>
    public IReadOnlyDictionary<TestId, (DateTimeOffset At, string Stood)> Last() =>
        database.Read(c =>
            c.Rows("SELECT test_id, at, stood FROM last_looks", row =>
                    (new TestId(row.GetInt64(0)), (row.Time(1), row.GetString(2)))
                )
                .ToDictionary()
        );

    /// <summary>Keeps what a look saw, all in one transaction.</summary>
    public Task SaveAsync(IReadOnlyCollection<TestLook> looks) =>
        journal.WriteAsync(c =>
        {
            var now = time.GetUtcNow().ToUnixTimeMilliseconds();
            foreach (var look in looks)
            {
                Write(c, look.Test, look.ByGoal, onMoney: false);
                Write(c, look.Test, look.ByMoney, onMoney: true);
                foreach (var point in look.Points)
                    Write(c, look.Test, point);
                c.Execute(
                    """
                    INSERT INTO last_looks VALUES ($1, $2, $3)
                    ON CONFLICT DO UPDATE SET at = excluded.at, stood = excluded.stood
                    """,
                    look.Test.Value,
                    now,
                    look.Stood
                );
                c.Execute(
                    """
                    UPDATE tests
                    SET seen_rate = coalesce($2, seen_rate),
                      base_spread = CASE WHEN $3 IS NULL THEN base_spread ELSE $4 END,
                      base_earned = coalesce($3, base_earned)
                    WHERE id = $1 AND ($2 IS NOT NULL OR $3 IS NOT NULL)
                    """,
                    look.Test.Value,
                    look.SeenRate,
                    look.Base?.Earned,
                    look.Base?.Spread
                );
            }
        });

    private static void Write(SqliteConnection c, TestId test, LookPoint point) =>
        c.Execute(
            """
            INSERT OR IGNORE INTO look_points (test_id, page_id, on_money, at, progress, evidence)
            SELECT $1, $2, $3, $4, $5, $6
            WHERE NOT EXISTS (
              SELECT 1 FROM look_points WHERE test_id = $1 AND page_id = $2 AND on_money = $3 AND progress > $7)
            """,
            test.Value,
            point.Page.Value,
            point.OnMoney ? 1 : 0,
            point.At.ToUnixTimeMilliseconds(),
            point.Progress,
            point.Evidence,
            point.Progress - LeastStep
        );

    private static void Write(
        SqliteConnection c,
        TestId test,
        IEnumerable<KeyValuePair<PageId, PastLooks>> pages,
        bool onMoney
    )
    {
        foreach (var (page, past) in pages)
            c.Execute(
                """
                INSERT INTO looks
                  (test_id, page_id, on_money, ahead, behind, end_difference, end_variance, called, progress)
                VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)
                ON CONFLICT DO UPDATE SET ahead = excluded.ahead, behind = excluded.behind,
                  end_difference = excluded.end_difference, end_variance = excluded.end_variance,
                  called = excluded.called, progress = excluded.progress
                """,
                test.Value,
                page.Value,
                onMoney ? 1 : 0,
                past.Ahead,
                past.Behind,
                past.End?.Difference,
                past.End?.Variance,
                past.Called,
                past.Progress
            );
    }

    /// <summary>
    /// Notes that the owner is told about something now; false where that was done less than so long ago.
    /// </summary>
    public Task<bool> MayTellAsync(string about, TimeSpan notWithin) =>
        journal.WriteAsync(c =>
        {
            var now = time.GetUtcNow();
            if (
                c.Number(
                    "SELECT 1 FROM told_owner WHERE about = $1 AND at > $2",
                    about,
                    (now - notWithin).ToUnixTimeMilliseconds()
                )
                is not null
            )
                return false;
            c.Execute(
                "INSERT INTO told_owner VALUES ($1, $2) ON CONFLICT DO UPDATE SET at = excluded.at",
                about,
                now.ToUnixTimeMilliseconds()
            );
            return true;
        });
}
