using Wexil.Core.Evidence;
using Wexil.Core.Funnels;
using Wexil.Core.Verdicts;

namespace Wexil.Store;

/// <summary>What a test did in a stretch of time.</summary>
public readonly record struct TestBucket(DateTimeOffset From, long Visitors, long Conversions);

/// <summary>Reads the tallies. Nothing here grows with traffic: no event and no visitor is read.</summary>
public sealed class TallyStore(Database database, TimeProvider time)
{
    /// <summary>How many visitors each step had, ever.</summary>
    public IReadOnlyDictionary<StepId, long> StepVisitors() => database.Read(c =>
        c.Rows("SELECT step_id, visitors FROM step_tallies", row => (new StepId(row.GetInt64(0)), row.GetInt64(1))).ToDictionary());

    /// <summary>New visitors a day at a step, over the last seven days or as long as it has had any; 0 when nobody came.</summary>
    public double VisitorsPerDay(StepId step) => database.Read(c =>
    {
        var now = time.GetUtcNow();
        var (visitors, first) = c.Rows("SELECT sum(visitors), min(bucket) FROM step_buckets WHERE step_id = $1 AND bucket >= $2",
            row => (row.NumberOrNull(0) ?? 0, row.TimeOrNull(1)), step.Value, now.AddDays(-7).ToUnixTimeMilliseconds()).Single();
        // A first quarter of an hour says nothing about a day.
        return first is { } from && now - from >= TimeSpan.FromHours(6) ? visitors / (now - from).TotalDays : 0;
    });

    /// <summary>New visitors of all steps and conversions of all tests since a moment.</summary>
    public (long Visitors, long Conversions) Since(DateTimeOffset from) => database.Read(c => (
        c.Number("SELECT sum(visitors) FROM step_buckets WHERE bucket >= $1", from.ToUnixTimeMilliseconds()) ?? 0,
        c.Number("SELECT sum(conversions) FROM test_buckets WHERE bucket >= $1", from.ToUnixTimeMilliseconds()) ?? 0));

    /// <summary>Visitors and conversions of a test by quarter hours, from a moment on.</summary>
    public IReadOnlyList<TestBucket> Buckets(TestId test, DateTimeOffset from) => database.Read(c => c.Rows(
        "SELECT bucket, visitors, conversions FROM test_buckets WHERE test_id = $1 AND bucket >= $2 ORDER BY bucket",
        row => new TestBucket(row.Time(0), row.GetInt64(1), row.GetInt64(2)), test.Value, from.ToUnixTimeMilliseconds()));

    /// <summary>When the last visitor of the test converted, and how many came since; null when none has yet.</summary>
    public Silence? Silence(TestId test) => database.Read(c => c.Rows(
        "SELECT visitors_since, last_conversion_at FROM test_silences WHERE test_id = $1 AND last_conversion_at IS NOT NULL",
        row => new Silence(row.GetInt64(0), row.Time(1)), test.Value).SingleOrDefault());

    /// <summary>For each phase of a test the arms in the order of its pages.</summary>
    public IReadOnlyList<PhaseFacts> Phases(SplitTest test, IReadOnlyList<Phase> phases) => database.Read(c =>
    {
        var tallies = c.Rows("SELECT phase_id, page_id, visitors, conversions FROM test_tallies WHERE test_id = $1",
            row => ((Phase: row.GetInt64(0), Page: row.GetInt64(1)), new Arm(row.GetInt64(2), row.GetInt64(3))), test.Id.Value).ToDictionary();
        return phases.Select(phase => new PhaseFacts(
            phase.Weights.Percent, [.. test.Pages.Select(page => tallies.GetValueOrDefault((phase.Id.Value, page.Value)))])).ToArray();
    });
}
