using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;
using Wexil.Pages.Source;
using Wexil.Store;

namespace Wexil.Demo;

/// <summary>A page of an outside site with a banner on it, of which one version is ready to be kept.</summary>
internal static class BalconyNotes
{
    /// <summary>The section's key, by which the line in the site's page names it.</summary>
    public const string Banner = "notes-banner";

    private const string Seeds = """
        <aside class="banner"><h2>Three packets of seeds, for the postage</h2>
          <p><a class="button" href="/seed-shop">Choose your three</a></p></aside>
        """;

    public static async Task MakeAsync(DemoBuilder demo, DemoVisitors visitors)
    {
        var began = demo.Now.AddDays(-16);
        var funnel = await demo.At(began).Funnels.CreateAsync("Balcony notes");
        var notes = await demo.StepAsync(funnel, StepKind.Other, "Notes for March", "notes");
        var shop = await demo.StepAsync(funnel, StepKind.Other, "Seed shop", "seed-shop");
        var page = await demo.OutsideAsync(began, notes, "Notes for March", "notes");
        await demo.OutsideAsync(began, shop, "Seed shop", "seed-shop");
        var banner = await demo.SectionAsync(began, notes, "Banner", Banner, SectionMark.AsItStands);
        var first = demo.Get<PageStore>().ForStep(banner.Id).Single().Id;
        var seeds = await demo.At(began).Pages.AddVersionAsync(banner.Id, "Seeds for the postage", Seeds);
        await demo.StartAsync(
            began,
            new(
                banner.Id,
                shop.Id,
                "Banner",
                "A reader takes seeds sooner than a discount.",
                0.08,
                0.2,
                [first, seeds],
                Weights.Even(2)
            )
        );
        visitors.Come(
            notes,
            began,
            demo.Now,
            420,
            [(page, 0.081)],
            [(shop, 1)],
            sources: [("", 1)],
            sections: [new(banner, seeds, 1.38)]
        );
        await visitors.RecordedAsync();
    }
}
