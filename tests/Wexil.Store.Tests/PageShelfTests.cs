using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Tests;

/// <summary>Pages that are put away, moved and deleted.</summary>
public sealed class PageShelfTests
{
    [Fact]
    public async Task A_page_that_nobody_saw_can_be_moved_and_deleted_and_what_was_shown_is_only_put_away()
    {
        using var world = new World();
        var shelf = new PageShelf(world.Database, world.Journal, world.Time);
        var test = await world.StartTestAsync();
        var idle = world.Pages.Find(await world.Pages.CloneAsync(world.Pages.Find(test.Pages[0])!, "Idle"))!;
        await world.Drafts.EditAsync(idle, world.Drafts.For(idle), "<h1>y", "Text");
        Assert.True(shelf.CanBeDeleted(idle.Id));
        Assert.False(shelf.CanBeDeleted(test.Pages[1]));
        var (moved, problem) = await shelf.MoveAsync(idle, test.Goal);
        Assert.Equal((idle.Id, null), (moved, problem));
        Assert.Equal(test.Goal, world.Pages.Find(idle.Id)!.Step);
        Assert.Null(await shelf.DeleteAsync(world.Pages.Find(idle.Id)!));
        Assert.Null(world.Pages.Find(idle.Id));

        // One visit by the page's own address keeps it for good; being put away it still answers.
        var seen = world.Pages.Find(await world.Pages.CloneAsync(world.Pages.Find(test.Pages[0])!, "Seen"))!;
        await world.Journal.AppendAsync(
            new(
                Guid.CreateVersion7(),
                world.Time.GetUtcNow(),
                EventKind.Visit,
                VisitorId.New(world.Time.GetUtcNow(), new SeededChance(1)),
                test.Step,
                seen.Id
            )
        );
        Assert.Equal(ShelfProblem.WasShown, await shelf.DeleteAsync(seen));
        Assert.Null(await shelf.ArchiveAsync(seen));
        Assert.Equal([seen.Id], shelf.Archived(test.Step).Select(page => page.Id));
        Assert.DoesNotContain(world.Pages.ForStep(test.Step), page => page.Id == seen.Id);
        Assert.NotNull(world.Routes.Load().Page(seen.Slug));
        await shelf.RestoreAsync(seen.Id);
        Assert.Contains(world.Pages.ForStep(test.Step), page => page.Id == seen.Id);
    }

    [Fact]
    public async Task In_a_running_test_a_page_put_away_gets_nobody_new_in_a_new_phase_and_comes_back_with_its_weight()
    {
        using var world = new World();
        var shelf = new PageShelf(world.Database, world.Journal, world.Time);
        var two = await world.StartTestAsync();
        Page A() => world.Pages.Find(two.Pages[0])!;
        Page B() => world.Pages.Find(two.Pages[1])!;
        Assert.Equal(ShelfProblem.IsControl, await shelf.ArchiveAsync(A()));
        Assert.Equal(ShelfProblem.LeavesOne, await shelf.ArchiveAsync(B()));
        var c = await world.Pages.CloneAsync(A(), "Third");
        world.Time.Advance(TimeSpan.FromMinutes(1));
        await world.Tests.ChangeAsync(two, Weights.Create(40, 40, 20), [c], two.Settings, null, []);
        world.Time.Advance(TimeSpan.FromMinutes(1));
        Assert.Null(await shelf.ArchiveAsync(B()));
        var test = world.Tests.Find(two.Id)!;
        Assert.Equal(Weights.Create(67, 0, 33), test.Weights);
        Assert.Equal([2, 3, 3], world.Tests.Phases(test.Id).Select(phase => phase.Weights.Count));
        Assert.Equal([B().Id], shelf.Archived(test.Step).Select(page => page.Id));
        // Moved away, a page of a test leaves its figures behind.
        world.Time.Advance(TimeSpan.FromMinutes(1));
        await world.Tests.ChangeWeightsAsync(test.Id, Weights.Create(34, 33, 33));
        Assert.Empty(shelf.Archived(test.Step));
        var (moved, problem) = await shelf.MoveAsync(B(), test.Goal);
        Assert.Null(problem);
        Assert.NotEqual(B().Id, moved);
        Assert.Equal((test.Goal, "First salad"), (world.Pages.Find(moved)!.Step, world.Pages.Find(moved)!.Name));
        Assert.Equal([B().Id], shelf.Archived(test.Step).Select(page => page.Id));
    }

    [Fact]
    public async Task What_everyone_sees_what_a_source_is_tied_to_and_what_others_see_stays()
    {
        using var world = new World();
        var shelf = new PageShelf(world.Database, world.Journal, world.Time);
        var test = await world.StartTestAsync();
        var funnel = world.Funnels.All().Single().Id;
        var tied = world.Pages.Find(await world.Pages.CloneAsync(world.Pages.Find(test.Pages[0])!, "Tied"))!;
        await new SourceStore(world.Database, world.Journal, world.Time).SaveAsync(
            funnel,
            null,
            "ads",
            "Ads",
            SourceKind.Ad,
            null,
            new Dictionary<StepId, PageId> { [test.Step] = tied.Id }
        );
        Assert.Equal(ShelfProblem.IsTied, await shelf.ArchiveAsync(tied));
        var others = world.Pages.Find(await world.Pages.CloneAsync(tied, "Others"))!;
        await world.Tests.ChangeAsync(
            test,
            test.Weights,
            [],
            test.Settings with
            {
                Others = others.Id,
            },
            null,
            [("Others", true)]
        );
        Assert.Equal(ShelfProblem.IsForOthers, await shelf.ArchiveAsync(others));
        await world.Verdicts.KeepAsync([new(test.Id, test.Pages[1], "Keep B.", "{}")], "by hand");
        Assert.Equal(ShelfProblem.IsShown, await shelf.ArchiveAsync(world.Pages.Find(test.Pages[1])!));
        // The page replaced is put away, and taking the verdict back shows it again.
        Assert.Null(await shelf.ArchiveAsync(world.Pages.Find(test.Pages[0])!));
        Assert.True(await world.Verdicts.TakeBackAsync(test.Id));
        Assert.Empty(shelf.Archived(test.Step));
    }
}
