using Wexil.Core.SplitTests;

namespace Wexil.Store.Tests;

/// <summary>A verdict is taken back with all that belongs to it, or not at all.</summary>
public sealed class TakingBackTests
{
    private const string Marked = "<h1 data-wexil-section=\"headline\">x";

    [Fact]
    public async Task Its_check_ends_and_pages_have_their_section_back_in_the_same_step()
    {
        using var world = new World();
        var (test, check) = await CheckedAsync(world);
        var page = world.Pages.Find(test.Pages[0])!;
        var phases = world.Tests.Phases(test.Id).Count;
        var changed = await world.Verdicts.TakeBackAsync(test.Id, Ended(check), [new(page, Marked, "Put back")]);
        Assert.Empty(changed!);
        Assert.True(world.Tests.Find(test.Id)!.IsOpen);
        Assert.False(world.Tests.Find(check.Id)!.IsOpen);
        Assert.Equal(phases + 1, world.Tests.Phases(test.Id).Count);
        var back = world.Pages.Find(page.Id)!;
        Assert.Equal((Marked, page.Revision + 1, false), (world.Pages.Source(back), back.Revision, back.HasDraft));
    }

    [Fact]
    public async Task Nothing_is_done_where_another_test_has_been_started_since()
    {
        using var world = new World();
        var (test, check) = await CheckedAsync(world);
        var page = world.Pages.Find(test.Pages[0])!;
        await world.Verdicts.KeepAsync([Ended(check)], VerdictStore.ByCheck);
        var next = (await world.Tests.StartAsync(Plan(test)))!.Value;
        Assert.Null(await world.Verdicts.TakeBackAsync(test.Id, null, [new(page, Marked, "Put back")]));
        Assert.True(world.Tests.Find(next)!.IsOpen);
        Assert.False(world.Tests.Find(test.Id)!.IsOpen);
        Assert.Equal(page.Revision, world.Pages.Find(page.Id)!.Revision);
    }

    [Fact]
    public async Task A_page_that_was_changed_since_it_was_read_stays_as_it_is()
    {
        using var world = new World();
        var (test, check) = await CheckedAsync(world);
        var (page, other) = (world.Pages.Find(test.Pages[0])!, world.Pages.Find(test.Pages[1])!);
        await world.Pages.PublishAsync(page, "<h1>y", "In another window");
        await world.Drafts.EditAsync(other, world.Drafts.For(other), "<h1>z", "Words");
        var changed = await world.Verdicts.TakeBackAsync(
            test.Id,
            Ended(check),
            [new(page, Marked, "Put back"), new(other, Marked, "Put back")]
        );
        Assert.Equal([page.Id, other.Id], changed!.Select(one => one.Id));
        Assert.True(world.Tests.Find(test.Id)!.IsOpen);
        Assert.Equal("<h1>y", world.Pages.Source(world.Pages.Find(page.Id)!));
        Assert.Equal("<h1>z", world.Drafts.For(world.Pages.Find(other.Id)!).Source);
    }

    /// <summary>A decided test, and the check of the page that was kept.</summary>
    private static async Task<(SplitTest Test, SplitTest Check)> CheckedAsync(World world)
    {
        var test = await world.StartTestAsync();
        var check = Plan(test) with { Check = new(test.Id, TakesBack: false) };
        await world.Verdicts.KeepAsync(
            [new(test.Id, test.Pages[1], "Keep it.", "{}") { Check = check }],
            VerdictStore.ByHand
        );
        return (test, world.Tests.ForStep(test.Step).Single(one => one.Check is not null));
    }

    private static KeptPage Ended(SplitTest check) => new(check.Id, check.Pages[0], "Ended.", "{}");

    private static TestPlan Plan(SplitTest test) =>
        new(test.Step, test.Goal, "Next", "", 0.1, 0.2, test.Pages, Weights.Even(2));
}
