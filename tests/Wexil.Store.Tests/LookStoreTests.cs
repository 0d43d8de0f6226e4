using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.Store.Tests;

/// <summary>What is kept of the looks at a test.</summary>
public sealed class LookStoreTests
{
    [Fact]
    public async Task A_look_keeps_what_was_sure_the_end_of_the_plan_the_call_and_the_way()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        Assert.True(test.IsPlanned);
        var looks = new LookStore(world.Database, world.Journal, world.Time);
        var page = test.Pages[1];
        PastLooks[] seen =
        [
            new(0.4, 1),
            new(0.03, 1) { Called = 0.8 },
            new(0.03, 1) { Called = 0.8, End = new PlanEnd(0.012, 0.00002) },
        ];
        double[] progress = [0.5, 0.503, 1.02];
        for (var i = 0; i < seen.Length; i++)
        {
            world.Time.Advance(TimeSpan.FromHours(1));
            var by = new Dictionary<PageId, PastLooks> { [page] = seen[i] };
            var point = new LookPoint(page, false, world.Time.GetUtcNow(), progress[i], 0.7);
            await looks.SaveAsync([
                new(test.Id, by, new Dictionary<PageId, PastLooks>(), "Running", null) { Points = [point] },
            ]);
            Assert.Equal(seen[i], looks.Past(test.Id, onMoney: false)[page]);
        }
        // A step of less than half a percent is not worth a point.
        Assert.Equal([0.5, 1.02], looks.Points(test.Id, onMoney: false).Select(point => point.Progress));
        Assert.Empty(looks.Points(test.Id, onMoney: true));
    }

    [Fact]
    public async Task What_visitors_bring_is_kept_as_the_last_look_said_that_said_it()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var looks = new LookStore(world.Database, world.Journal, world.Time);
        foreach (var known in (RevenueBase?[])[null, new(490, 7_000), new(500, 8_000), null])
            await looks.SaveAsync([
                new(
                    test.Id,
                    new Dictionary<PageId, PastLooks>(),
                    new Dictionary<PageId, PastLooks>(),
                    "Running",
                    known
                ),
            ]);
        var fixedNow = world.Tests.Find(test.Id)!;
        Assert.Equal((500, 8_000), (fixedNow.BaseEarned, fixedNow.BaseSpread));
    }
}
