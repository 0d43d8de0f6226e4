using System.Data;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Targeting;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>Split tests, their phases and what was changed of them.</summary>
public sealed class TestStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>In the log of a test that starts later.</summary>
    public const string StartsLater = "Set up to start later";

    /// <summary>In the log of a test: the check of pages hosted elsewhere.</summary>
    public const string Watch = "the watch";

    /// <summary>In the log of a test: its rule.</summary>
    public const string Rule = "its rule";

    private const string Columns =
        "id, step_id, goal_step_id, name, idea, base_rate, smallest_lift, started_at, paused_at, decided_at, "
        + "weights, turns, share, audience, others_id, rests_failing, ends_at, rule, base_earned, base_spread, "
        + "is_planned, lean_floor, learned, seen_rate, check_of, takes_back, planned_pages, plan_drift";

    /// <summary>Links by which a report of a test is read without a sign-in; they last three months.</summary>
    public SharedLinks Reports { get; } =
        new(database, journal, time, "report_links", "test_id", TimeSpan.FromDays(90));

    /// <summary>Every test that is not decided.</summary>
    public IReadOnlyList<SplitTest> Open() => Where("decided_at IS NULL");

    /// <summary>The steps with a test that is not decided, checks of kept pages left out.</summary>
    public IReadOnlySet<StepId> OpenSteps() =>
        database.Read(c =>
            c.Rows("SELECT step_id FROM tests WHERE decided_at IS NULL AND check_of IS NULL", row => new StepId(
                    row.GetInt64(0)
                ))
                .ToHashSet()
        );

    /// <summary>Every test there ever was, the newest first.</summary>
    public IReadOnlyList<SplitTest> All() => Where("1");

    /// <summary>The test that was started last; null while there is none.</summary>
    public SplitTest? Newest() => Where("id = (SELECT max(id) FROM tests)").SingleOrDefault();

    /// <summary>Null where there is none.</summary>
    public SplitTest? Find(TestId test) => Where("id = $1", test.Value).SingleOrDefault();

    /// <summary>Tests by their ids, the newest first.</summary>
    public IReadOnlyList<SplitTest> FindAll(IEnumerable<TestId> tests) =>
        Where("id IN (SELECT value FROM json_each($1))", EvidenceStore.Json(tests.Select(test => test.Value)));

    /// <summary>Every test of some steps, the newest first.</summary>
    public IReadOnlyList<SplitTest> OfSteps(IEnumerable<StepId> steps) =>
        Where("step_id IN (SELECT value FROM json_each($1))", EvidenceStore.Json(steps.Select(step => step.Value)));

    /// <summary>The tests of a funnel that are not decided.</summary>
    public IReadOnlyList<SplitTest> OpenIn(FunnelId funnel) =>
        Where("decided_at IS NULL AND step_id IN (SELECT id FROM steps WHERE funnel_id = $1)", funnel.Value);

    /// <summary>Every test of a step: the one that is not decided, then the newest first.</summary>
    public IReadOnlyList<SplitTest> ForStep(StepId step) =>
        [.. Where("step_id = $1", step.Value).OrderByDescending(test => test.IsOpen)];

    /// <summary>The tests of the other sections on a step's pages that ran beside one.</summary>
    /// <param name="host">The step on whose pages they are.</param>
    public IReadOnlyList<SplitTest> OnSectionsOf(StepId host, SplitTest beside) =>
        Where(
            """
            step_id IN (SELECT id FROM steps WHERE host_id = $1) AND step_id <> $2
            AND (decided_at IS NULL OR decided_at > $3) AND started_at < $4
            """,
            host.Value,
            beside.Step.Value,
            beside.StartedAt.ToUnixTimeMilliseconds(),
            beside.DecidedAt?.ToUnixTimeMilliseconds() ?? long.MaxValue
        );

    /// <summary>A test's phases, the oldest first.</summary>
    public IReadOnlyList<Phase> Phases(TestId test) => database.Read(c => TestPhases.Of(c, test));

    /// <summary>What the owner was told before the test started.</summary>
    public IReadOnlyList<ReadyLine> Ready(TestId test) =>
        database.Read(c =>
            c.Rows(
                "SELECT what, good, words FROM test_ready WHERE test_id = $1 ORDER BY id",
                row => new ReadyLine(row.GetString(0), row.IsDBNull(1) ? null : row.GetBoolean(1), row.GetString(2)),
                test.Value
            )
        );

    /// <summary>What was changed of a test, the newest first.</summary>
    public IReadOnlyList<TestChange> Changes(TestId test) =>
        database.Read(c =>
            c.Rows(
                "SELECT at, who, what FROM test_changes WHERE test_id = $1 ORDER BY id DESC",
                row => new TestChange(row.Time(0), row.GetString(1), row.GetString(2)),
                test.Value
            )
        );

    /// <summary>Starts a test, at once or later; null when another one stands on the step.</summary>
    public Task<TestId?> StartAsync(TestPlan plan) =>
        journal.WriteAsync<TestId?>(c =>
        {
            if (c.Number("SELECT 1 FROM tests WHERE step_id = $1 AND decided_at IS NULL", plan.Step.Value) is not null)
                return null;
            // Whoever starts a test says that its pages are live.
            PageStore.Show(c, plan.Pages[0]);
            return Start(c, plan, time.GetUtcNow());
        });

    /// <summary>Starts a test on a step that has no other open one.</summary>
    internal static TestId Start(SqliteConnection c, TestPlan plan, DateTimeOffset now)
    {
        var from = plan.From is { } later && later > now ? later : now;
        var test = new TestId(
            c.Insert(
                """
                INSERT INTO tests (step_id, goal_step_id, name, idea, base_rate, smallest_lift, started_at,
                  weights, is_planned, rule, check_of, takes_back, plan_drift)
                VALUES ($1, $2, $3, $4, $5, $6, $7, $8, 1, $9, $10, $11, $12)
                """,
                plan.Step.Value,
                plan.Goal.Value,
                plan.Name,
                plan.Idea,
                plan.BaseRate,
                plan.SmallestLift,
                from.ToUnixTimeMilliseconds(),
                plan.Weights.ToString(),
                plan.OnMoney ? (KeepRule.Default with { OnMoney = true }).ToJson() : "",
                plan.Check?.Of.Value,
                plan.Check is { TakesBack: true } ? 1 : 0,
                PlannedSize.PlannedDrift(plan.ComparedPages)
            )
        );
        AddPages(c, test, plan.Pages);
        Write(c, test, plan.Settings ?? TestSettings.Default);
        if (plan.Main is { } main)
            GoalStore.Add(c, test, main, isMain: true, DateTimeOffset.UnixEpoch, now);
        AddReadiness(c, test, plan.Ready ?? []);
        TestPhases.Settle(c, test, "Started", now.ToUnixTimeMilliseconds());
        Log(c, test, now.ToUnixTimeMilliseconds(), "owner", from > now ? StartsLater : "Started");
        return test;
    }

    private static void AddPages(SqliteConnection c, TestId test, IReadOnlyList<PageId> pages)
    {
        for (var i = 0; i < pages.Count; i++)
            c.Execute(
                "INSERT INTO test_pages (test_id, position, page_id) VALUES ($1, $2, $3)",
                test.Value,
                i,
                pages[i].Value
            );
    }

    private static void AddReadiness(SqliteConnection c, TestId test, IReadOnlyList<ReadyLine> lines)
    {
        foreach (var line in lines)
            c.Execute(
                "INSERT INTO test_ready (test_id, what, good, words) VALUES ($1, $2, $3, $4)",
                test.Value,
                line.What,
                line.Good is { } good ? Convert.ToInt32(good) : null,
                line.Words
            );
    }

    /// <summary>Sets the weights for visitors to come; those already enrolled stay where they are.</summary>
    public Task ChangeWeightsAsync(TestId test, Weights weights) =>
        journal.WriteAsync(c => ChangeWeights(c, test, weights, []));

    /// <summary>Weights that a rule sets: they begin a phase, and the log says which rule.</summary>
    public Task FollowAsync(TestId test, Weights weights, string who, string what) =>
        journal.WriteAsync(c =>
        {
            c.Execute("UPDATE tests SET weights = $2 WHERE id = $1", test.Value, weights.ToString());
            TestPhases.Settle(c, test, what, time.GetUtcNow().ToUnixTimeMilliseconds(), log: who);
        });

    /// <summary>By what the test is judged and when a page is kept by itself, from now on.</summary>
    public Task SetRuleAsync(TestId test, KeepRule rule, string what) =>
        journal.WriteAsync(c =>
        {
            c.Execute("UPDATE tests SET rule = $2 WHERE id = $1 AND decided_at IS NULL", test.Value, rule.ToJson());
            Log(c, test, time.GetUtcNow().ToUnixTimeMilliseconds(), "owner", what);
        });

    /// <summary>Writes down what a test taught.</summary>
    public Task SetLearnedAsync(TestId test, string learned) =>
        journal.WriteAsync(c => c.Execute("UPDATE tests SET learned = $2 WHERE id = $1", test.Value, learned));

    /// <summary>
    /// Changes a test that is not decided. A phase begins where what was counted before is about something else.
    /// </summary>
    /// <param name="added">Pages that come in, behind those there; the weights are for all.</param>
    /// <param name="from">A new start, for a test that has not started.</param>
    /// <param name="what">What changes, in words, besides weights and pages.</param>
    public Task ChangeAsync(
        SplitTest test,
        Weights weights,
        IReadOnlyList<PageId> added,
        TestSettings settings,
        DateTimeOffset? from,
        IReadOnlyList<(string What, bool BeginsPhase)> what
    ) =>
        journal.WriteAsync(c =>
        {
            var now = time.GetUtcNow().ToUnixTimeMilliseconds();
            if (c.Number("SELECT 1 FROM tests WHERE id = $1 AND decided_at IS NULL", test.Id.Value) is null)
                return;
            Write(c, test.Id, settings);
            if (from is { } start && test.StartedAt.ToUnixTimeMilliseconds() > now)
                c.Execute(
                    "UPDATE tests SET started_at = $2 WHERE id = $1",
                    test.Id.Value,
                    Math.Max(now, start.ToUnixTimeMilliseconds())
                );
            foreach (var (sentence, _) in what)
                Log(c, test.Id, now, "owner", sentence);
            var reasons = what.Where(change => change.BeginsPhase).Select(change => change.What).ToArray();
            if (!weights.Equals(test.Weights) || added.Count > 0)
                ChangeWeights(c, test.Id, weights, added, string.Concat(reasons.Select(reason => $"; {reason}")));
            else
                TestPhases.Settle(c, test.Id, reasons.Length > 0 ? string.Join("; ", reasons) : null, now);
        });

    /// <summary>
    /// Stops settings visitors over the pages, or goes on. While it is paused, the link shows the step's page. False
    /// when nothing changed.
    /// </summary>
    public Task<bool> PauseAsync(TestId test, bool paused) =>
        journal.WriteAsync(c =>
        {
            var now = time.GetUtcNow().ToUnixTimeMilliseconds();
            if (
                c.Execute(
                    $"""
                    UPDATE tests SET paused_at = $2
                    WHERE id = $1 AND decided_at IS NULL AND paused_at IS {(paused ? "NULL" : "NOT NULL")}
                    """,
                    test.Value,
                    paused ? now : null
                ) == 0
            )
                return false;
            Log(c, test, now, "owner", paused ? "Paused" : TestLife.GoesOn);
            TestPhases.Settle(c, test, paused ? null : TestLife.GoesOn, now);
            return true;
        });

    /// <summary>
    /// An outside page does not answer and rests, or answers again. A phase begins where the test sends nobody there
    /// meanwhile.
    /// </summary>
    public Task RestAsync(TestId test, PageId page, bool rests, string name) =>
        journal.WriteAsync(c =>
        {
            if (
                c.Execute(
                    "UPDATE test_pages SET rests = $3 WHERE test_id = $1 AND page_id = $2 AND rests <> $3",
                    test.Value,
                    page.Value,
                    rests ? 1 : 0
                ) == 0
            )
                return;
            TestPhases.Settle(
                c,
                test,
                rests ? $"{name} does not respond and is out of rotation" : $"{name} responds again",
                time.GetUtcNow().ToUnixTimeMilliseconds(),
                log: Watch
            );
        });

    internal static void Log(SqliteConnection c, TestId test, long at, string who, string what) =>
        c.Execute(
            "INSERT INTO test_changes (test_id, at, who, what) VALUES ($1, $2, $3, $4)",
            test.Value,
            at,
            who,
            what
        );

    private void ChangeWeights(
        SqliteConnection c,
        TestId test,
        Weights weights,
        IReadOnlyList<PageId> added,
        string besides = ""
    )
    {
        foreach (var page in added)
            c.Execute(
                """
                INSERT INTO test_pages (test_id, position, page_id) SELECT $1, max(position) + 1, $2
                FROM test_pages
                WHERE test_id = $1
                """,
                test.Value,
                page.Value
            );
        c.Execute("UPDATE tests SET weights = $2 WHERE id = $1", test.Value, weights.ToString());
        var now = time.GetUtcNow().ToUnixTimeMilliseconds();
        var what =
            added.Count > 0
                ? $"{(added.Count == 1 ? "A page" : $"{added.Count} pages")} added, weights set to {weights}"
                : $"Weights set to {weights}";
        Log(c, test, now, "owner", what);
        TestPhases.Settle(c, test, what + besides, now);
    }

    private static void Write(SqliteConnection c, TestId test, TestSettings settings)
    {
        c.Execute(
            """
            UPDATE tests
            SET turns = $2, share = $3, audience = $4, others_id = $5, rests_failing = $6, ends_at = $7,
              lean_floor = $8
            WHERE id = $1
            """,
            test.Value,
            StoredAllocation.Format(settings.Allocation),
            settings.Share,
            settings.Audience.IsEveryone ? "" : settings.Audience.ToJson(),
            settings.Others?.Value,
            settings.RestsFailing ? 1 : 0,
            settings.Until?.ToUnixTimeMilliseconds(),
            settings.Floor
        );
        c.Execute("UPDATE test_pages SET closed_to_affiliates = 0 WHERE test_id = $1", test.Value);
        foreach (var page in settings.Closed)
            c.Execute(
                "UPDATE test_pages SET closed_to_affiliates = 1 WHERE test_id = $1 AND page_id = $2",
                test.Value,
                page.Value
            );
    }

    private readonly record struct TestPage(long Test, PageId Page, bool Rests, bool IsClosed);

    private List<SplitTest> Where(string condition, params object?[] values) =>
        database.Read(c =>
        {
            var pages = c.Rows(
                    $"""
                    SELECT test_id, page_id, rests, closed_to_affiliates
                    FROM test_pages
                    WHERE test_id IN (SELECT id FROM tests WHERE {condition})
                    ORDER BY test_id, position
                    """,
                    row => new TestPage(row.GetInt64(0), new(row.GetInt64(1)), row.GetBoolean(2), row.GetBoolean(3)),
                    values
                )
                .ToLookup(page => page.Test);
            return c.Rows(
                $"SELECT {Columns} FROM tests WHERE {condition} ORDER BY id DESC",
                row => MapTest(row, [.. pages[row.GetInt64(0)]]),
                values
            );
        });

    private static SplitTest MapTest(SqliteDataReader row, TestPage[] pages) =>
        new(
            new(row.GetInt64("id")),
            new(row.GetInt64("step_id")),
            new(row.GetInt64("goal_step_id")),
            row.GetString("name"),
            row.GetString("idea"),
            row.GetDouble("base_rate"),
            row.GetDouble("smallest_lift"),
            row.Time("started_at"),
            row.TimeOrNull("paused_at"),
            row.TimeOrNull("decided_at"),
            [.. pages.Select(page => page.Page)],
            Weights.Parse(row.GetString("weights")),
            pages.Where(page => page.Rests).Select(page => page.Page).ToHashSet(),
            MapSettings(row, pages)
        )
        {
            Rule = KeepRule.Parse(row.GetString("rule")),
            BaseEarned = row.DoubleOrNull("base_earned"),
            BaseSpread = row.DoubleOrNull("base_spread"),
            IsPlanned = row.GetBoolean("is_planned"),
            Learned = row.GetString("learned"),
            PlannedPages = (int?)row.NumberOrNull("planned_pages"),
            PlanDrift = row.DoubleOrNull("plan_drift"),
            Check = row.NumberOrNull("check_of") is { } of ? new(new(of), row.GetBoolean("takes_back")) : null,
            SeenRate = row.DoubleOrNull("seen_rate"),
        };

    private static TestSettings MapSettings(SqliteDataReader row, TestPage[] pages) =>
        new(
            StoredAllocation.Parse(row.GetString("turns")),
            row.GetInt32("share"),
            Audience.Parse(row.GetString("audience")),
            row.NumberOrNull("others_id") is { } others ? new PageId(others) : null,
            [.. pages.Where(page => page.IsClosed).Select(page => page.Page)],
            row.GetBoolean("rests_failing"),
            row.TimeOrNull("ends_at")
        )
        {
            Floor = row.GetInt32("lean_floor"),
        };
}
