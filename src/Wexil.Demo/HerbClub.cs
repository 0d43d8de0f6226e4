using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;

namespace Wexil.Demo;

/// <summary>A funnel of outside pages, whose thank-you page lost its script yesterday.</summary>
internal static class HerbClub
{
    public static async Task MakeAsync(DemoBuilder demo, DemoVisitors visitors)
    {
        var began = demo.Now.AddDays(-15);
        var funnel = await demo.At(began).Funnels.CreateAsync("Herb Club");
        var swap = await demo.StepAsync(funnel, StepKind.OptIn, "Seed swap", "swap");
        var list = await demo.StepAsync(funnel, StepKind.ThankYou, "On the list", "swap-list");
        var a = await demo.OutsideAsync(began, swap, "Swap page", "swap");
        var b = await demo.OutsideAsync(began, swap, "“Three out, three in”", "swap-now");
        await demo.OutsideAsync(began, list, "On the list", "swap-thanks");
        await demo.StartAsync(
            began,
            new(swap.Id, list.Id, "Swap headline", "Numbers say it quicker.", 0.3, 0.2, [a, b], Weights.Even(2))
        );
        // The thank-you page lost its script yesterday: visitors still come, and nothing is counted any more.
        var lost = new DateTimeOffset(demo.Now.UtcDateTime.Date, TimeSpan.Zero).AddDays(-1).AddHours(18).AddMinutes(40);
        visitors.Come(
            swap,
            began,
            demo.Now,
            150,
            [(a, 0.31), (b, 0.33)],
            [(list, 1)],
            countedUntil: lost,
            sources: [("", 1)]
        );
        await visitors.RecordedAsync();
    }
}
