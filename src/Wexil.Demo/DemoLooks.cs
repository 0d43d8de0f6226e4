using Wexil.App.Results;
using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Store;
using Wexil.Web.Hosting;

namespace Wexil.Demo;

/// <summary>
/// The looks that the program would have taken while the demo's visitors came. They were recorded in one go, so each
/// test is looked at again as it stood at every other hour.
/// </summary>
/// <param name="now">When the last look is taken, at most.</param>
internal sealed class DemoLooks(WexilHost host, DateTimeOffset now)
{
    private static readonly TimeSpan Every = TimeSpan.FromHours(2);
    private readonly TallyStore _tallies = host.Services.GetRequiredService<TallyStore>();

    /// <summary>Takes those of all open tests with a plan.</summary>
    public Task TakeAsync() => TakeAsync(host.Services.GetRequiredService<TestStore>().Open());

    /// <summary>Takes those of some tests, as far as these have a plan.</summary>
    public Task TakeAsync(IReadOnlyList<SplitTest> tests)
    {
        var steps = host.Services.GetRequiredService<FunnelStore>().AllSteps().ToDictionary(step => step.Id);
        return host
            .Services.GetRequiredService<LookStore>()
            .SaveAsync([
                .. host
                    .Services.GetRequiredService<TestReader>()
                    .Read(tests, steps)
                    .Where(reading => reading.Result.Facts.Plan is not null)
                    .Select(Replay),
            ]);
    }

    private TestLook Replay(TestReading reading)
    {
        var (test, facts) = (reading.Test, reading.Result.Facts);
        var rule = new LookRule(facts.BaseRate * facts.SmallestLift, facts.Plan);
        var counted = reading.Phases.Select(_ => new Arm[test.Pages.Count]).ToArray();
        var past = test.Pages.Select(_ => PastLooks.None).ToArray();
        var points = new List<LookPoint>();
        var buckets = new Queue<PageBucket>(_tallies.PageBuckets(test.Id));
        for (var at = test.StartedAt + Every; at < now; at += Every)
        {
            while (buckets.TryPeek(out var bucket) && bucket.From < at)
            {
                buckets.Dequeue();
                var page = test.Pages.ToList().IndexOf(bucket.Page);
                counted[PhaseAt(reading.Phases, bucket.From)][page] += bucket.Arm;
            }
            var looks = Look(facts, rule, counted, past);
            for (var page = 0; page < looks.Length; page++)
            {
                if (looks[page] is not { Progress: { } progress, Evidence: { } evidence } look)
                    continue;
                past[page] = past[page].With(look);
                points.Add(new(test.Pages[page], false, at, progress, evidence));
            }
        }
        var byPage = test.Pages.Zip(past).Skip(1).ToDictionary();
        return new(test.Id, byPage, new Dictionary<PageId, PastLooks>(), "Running", null) { Points = points };
    }

    private static Comparison?[] Look(TestFacts facts, LookRule rule, Arm[][] counted, PastLooks[] past)
    {
        bool IsEnough(int page) => counted.Sum(phase => phase[page].Conversions) >= AlwaysValidTest.MinConversions;
        Estimate?[] estimates =
        [
            .. past.Select(
                (_, page) =>
                    page == 0 ? null : Phases.Difference(counted.Select(phase => new PhasePair(phase[0], phase[page])))
            ),
        ];
        return ChallengerComparisons.Compute(estimates, 0, IsEnough, rule, facts.Alpha, past, facts.Beside);
    }

    private static int PhaseAt(IReadOnlyList<Phase> phases, DateTimeOffset at) =>
        Math.Max(0, phases.Count(phase => phase.StartedAt <= at) - 1);
}
