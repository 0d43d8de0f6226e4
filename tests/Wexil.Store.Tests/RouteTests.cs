using System.Text.Json;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;

namespace Wexil.Store.Tests;

/// <summary>The table that visitors are answered from.</summary>
public sealed class RouteTests
{
    [Fact]
    public async Task A_funnel_taken_in_alone_makes_the_table_that_reading_everything_makes()
    {
        using var world = new World();
        var sources = new SourceStore(world.Database, world.Journal, world.Time);
        var made = new List<(Funnel Funnel, Step[] Steps, SplitTest Test)>();
        for (var f = 0; f < 3; f++)
        {
            // Two funnels lead to the same outside till: the one made first is reached by its address.
            var funnel = await world.Funnels.CreateAsync(
                $"Funnel {f}",
                [
                    new(
                        StepKind.Sales,
                        "Letter",
                        $"letter-{f}",
                        [
                            new("A", PageBundle.OneFile("<h1>a"), null),
                            new("B", null, new($"https://larkrow.example/{f}/b")),
                        ]
                    ),
                    new(StepKind.Checkout, "Till", $"till-{f}", [new("Till", null, new("https://till.example/pay"))]),
                ]
            );
            Step[] steps = [.. world.Funnels.Steps(funnel.Id)];
            PageId[] pages = [.. world.Pages.ForStep(steps[0].Id).Select(page => page.Id)];
            await sources.SaveAsync(
                funnel.Id,
                null,
                "ads",
                "Ads",
                SourceKind.Affiliate,
                30,
                new Dictionary<StepId, PageId> { [steps[0].Id] = pages[1] }
            );
            var test = await world.Tests.StartAsync(
                new(steps[0].Id, steps[1].Id, "Letter", "", 0.1, 0.2, pages, Weights.Even(2))
            );
            await world.Goals.AddAsync(test!.Value, new Goal(GoalKind.Signal, "Signed"));
            made.Add((funnel, steps, world.Tests.Find(test.Value)!));
        }
        var table = world.Routes.Load();
        Assert.Equal("till-0", table.OutsidePage(new("https://till.example/pay?x=1"))!.Link);
        var (changed, own, running) = made[1];
        var changes = new Func<Task>[]
        {
            () => world.Tests.ChangeWeightsAsync(running.Id, Weights.Create(20, 80)),
            () => world.Pages.AddAsync(own[0].Id, "C", PageBundle.OneFile("<h1>c")),
            () => world.Goals.AddAsync(running.Id, new Goal(GoalKind.Signal, "Called")),
            () =>
                sources.SaveAsync(
                    changed.Id,
                    null,
                    "post",
                    "Post",
                    SourceKind.Affiliate,
                    null,
                    new Dictionary<StepId, PageId>()
                ),
            () => world.Funnels.AddStepAsync(changed.Id, StepKind.Upsell, "More", "more"),
            () => world.Tests.PauseAsync(running.Id, true),
            () => world.Funnels.ArchiveStepAsync(own[1].Id, "https://larkrow.example/closed"),
        };
        foreach (var change in changes)
        {
            var before = Written(table);
            await change();
            table = world.Routes.Load(table, changed.Id);
            Assert.NotEqual(before, Written(table));
            Assert.Equal(Written(world.Routes.Load()), Written(table));
        }
        Assert.Equal("till-0", table.OutsidePage(new("https://till.example/pay?x=1"))!.Link);
    }

    private static string Written(RouteTable table) =>
        JsonSerializer.Serialize(
            new
            {
                Steps = table.Steps.OrderBy(step => step.Id.Value),
                table.Pages,
                Goals = table.Goals.OrderBy(goal => goal.Id.Value),
                table.HeedsPrivacyControl,
                table.PassThrough,
                table.AffiliateParameter,
            }
        );

    [Fact]
    public void Pages_of_one_path_are_told_apart_by_their_own_parameters()
    {
        RoutePage Page(int id, string address) => new(new(id), new(1), $"p{id}", 1, new OutsideAddress(new(address)));
        var table = new RouteTable(
            [],
            [
                Page(1, "https://shop.example/"),
                Page(2, "https://shop.example/?page_id=5"),
                Page(3, "https://shop.example/?page_id=6&lang=en"),
                Page(4, "https://shop.example/?page_id=5#top"),
            ]
        );
        foreach (
            var (visited, page) in new[]
            {
                ("", 1),
                ("?utm_source=ad", 1),
                ("?page_id=5", 2),
                ("?s=ad&page_id=5&wx=1", 2),
                ("?lang=en&page_id=6", 3),
                ("?page_id=6", 1),
                ("?page_id=55", 1),
                ("?page_id=5#top", 4),
            }
        )
            Assert.Equal(page, table.OutsidePage(new($"https://shop.example/{visited}"))!.Id.Value);
        Assert.Null(table.OutsidePage(new("https://shop.example/other?page_id=5")));
        var address = new OutsideAddress(new("https://shop.example/?a=1&b=2"));
        Assert.True(address.IsSamePage(new(new("https://SHOP.example/?b=2&a=1"))));
        Assert.False(address.IsSamePage(new(new("https://SHOP.example/?b=2&a=1#x"))));
        Assert.True(address.IsSamePlace(new(new("https://SHOP.example/?b=2&a=1#x"))));
        Assert.False(
            new OutsideAddress(new("https://shop.example/?a=1")).IsSamePage(new(new("https://shop.example/?a=1&b=2")))
        );
    }
}
