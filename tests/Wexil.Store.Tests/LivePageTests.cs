using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;

namespace Wexil.Store.Tests;

/// <summary>When a page goes live.</summary>
public sealed class LivePageTests
{
    [Fact]
    public async Task A_page_that_nobody_made_live_goes_live_with_its_test()
    {
        using var world = new World();
        var funnel = await world.Funnels.CreateAsync("Light");
        var step = (await world.Funnels.AddStepAsync(funnel.Id, StepKind.OptIn, "Light", "light"))!;
        var goal = (await world.Funnels.AddStepAsync(funnel.Id, StepKind.ThankYou, "End", "end"))!;
        var bundle = new PageBundle([new("index.html", "<h1>x"u8.ToArray())], "index.html");
        var a = await world.Pages.AddAsync(step.Id, "A", bundle, isLive: false);
        var b = await world.Pages.CloneAsync(world.Pages.Find(a)!, "B");
        await world.Pages.AddAsync(goal.Id, "Thanks", new("https://larkrow.example/thanks"), isLive: false);
        Assert.Equal(["Light", "End"], world.Funnels.NotLive(funnel.Id).Select(own => own.Name));
        await world.Tests.StartAsync(new(step.Id, goal.Id, "Idea", "", 0.1, 0.2, [b, a], Weights.Even(2)));
        Assert.Equal("End", Assert.Single(world.Funnels.NotLive(funnel.Id)).Name);
        Assert.Equal(b, world.Funnels.Steps(funnel.Id)[0].Page);
        await world.Funnels.GoLiveAsync(funnel.Id);
        Assert.Empty(world.Funnels.NotLive(funnel.Id));
        // What is live stays: the test's control is not replaced by the oldest page.
        Assert.Equal(b, world.Funnels.Steps(funnel.Id)[0].Page);
    }
}
