using System.Collections.Concurrent;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Store.Recording;
using Wexil.Store.Recording.Projection;

namespace Wexil.Store.Tests;

/// <summary>What the journal tells of Studio's writes, and of batches that somebody has to wait for.</summary>
public sealed class StudioChangeTests
{
    [Fact]
    public async Task A_write_tells_of_the_tests_that_it_concerns()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var told = new ConcurrentQueue<StudioChange>();
        world.Journal.Changed += told.Enqueue;
        async Task<TestId[]> Concerned(Task write)
        {
            await write;
            TestId[] tests = [.. told.SelectMany(change => change.Tests).Distinct()];
            told.Clear();
            return tests;
        }
        var pages = world.Pages;
        Assert.Equal([test.Id], await Concerned(pages.RenameAsync(test.Pages[1], "Another name")));
        Assert.Equal([test.Id], await Concerned(world.Tests.ChangeWeightsAsync(test.Id, Weights.Create(40, 60))));
        Assert.Equal([test.Id], await Concerned(world.Tests.RestAsync(test.Id, test.Pages[1], true, "Another name")));
        Assert.Equal(
            [test.Id],
            await Concerned(world.Goals.AddAsync(test.Id, new(Core.Goals.GoalKind.Signal, "Asked")))
        );
        Assert.Equal(
            [test.Id],
            await Concerned(world.Funnels.ChangeStepAsync(test.Goal, "Thanks", StepKind.ThankYou, null, null))
        );
        // A page that no test has, and a person.
        var other = await pages.CloneAsync(pages.Find(test.Pages[0])!, "Besides");
        told.Clear();
        Assert.Empty(await Concerned(pages.RenameAsync(other, "Still besides")));
        Assert.Empty(await Concerned(world.People.SetTagsAsync("reader@balcony.example", ["kit"])));
    }

    [Fact]
    public async Task Sections_of_one_page_are_concerned_together()
    {
        using var world = new World();
        var plan = await world.PlanTestAsync();
        var host = world.Funnels.AllSteps().Single(step => step.Id == plan.Step);
        async Task<TestId> StartAsync(string key)
        {
            var section = (await world.Funnels.AddSectionAsync(host, key, key, "<p>As it is</p>"))!;
            var first = world.Pages.ForStep(section.Id).Single().Id;
            var second = await world.Pages.AddVersionAsync(section.Id, "Other", "<p>Other</p>");
            return (await world.Tests.StartAsync(plan with { Step = section.Id, Pages = [first, second] }))!.Value;
        }
        var (headline, button) = (await StartAsync("headline"), await StartAsync("button"));
        var told = new ConcurrentQueue<StudioChange>();
        world.Journal.Changed += told.Enqueue;
        await new LookStore(world.Database, world.Journal, world.Time).SaveAsync([
            new(headline, new Dictionary<PageId, PastLooks>(), new Dictionary<PageId, PastLooks>(), "Running", null),
        ]);
        Assert.Equal(new HashSet<TestId> { headline, button }, told.Single().Tests);
    }

    [Fact]
    public async Task A_setting_concerns_every_test_and_what_fails_none()
    {
        using var world = new World();
        await world.StartTestAsync();
        var told = new ConcurrentQueue<StudioChange>();
        world.Journal.Changed += told.Enqueue;
        await new SettingStore(world.Database, world.Journal).SetOwnerNameAsync("Larkrow");
        Assert.True(told.Single().OfAll);
        told.Clear();
        await Assert.ThrowsAsync<InvalidOperationException>(() =>
            world.Journal.WriteAsync(c =>
            {
                c.Execute("UPDATE tests SET name = 'x'");
                throw new InvalidOperationException();
            })
        );
        Assert.Empty(told);
    }

    [Fact]
    public async Task Settings_are_read_once_until_one_is_changed()
    {
        using var world = new World();
        var settings = new SettingStore(world.Database, world.Journal);
        var elsewhere = new SettingStore(world.Database, world.Journal);
        Assert.Null(settings.OwnerName);
        await elsewhere.SetOwnerNameAsync("Larkrow");
        Assert.Equal("Larkrow", settings.OwnerName);
    }

    [Fact]
    public void What_is_read_while_it_changes_is_not_kept()
    {
        var reads = 0;
        ByHeart<string> known = null!;
        known = new(() =>
        {
            reads++;
            if (reads == 1)
                known.Forget();
            return $"read {reads}";
        });
        Assert.Equal("read 1", known.Value);
        Assert.Equal("read 2", known.Value);
        Assert.Equal("read 2", known.Value);
    }

    [Theory]
    [InlineData(1)]
    [InlineData(30)]
    [InlineData(75)]
    public async Task A_batch_that_is_given_up_changes_nothing_and_is_projected_again(int checks)
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        for (var i = 0; i < 40; i++)
            await world.Journal.AppendAsync(world.Enrols(test, i % 2));
        await world.Journal.WhenProjectedAsync();
        var projected = world.Tables();

        var asked = 0;
        await world.Journal.WriteAsync(c =>
        {
            foreach (var table in ProjectedTables.All)
                c.Execute($"DELETE FROM {table}");
            c.Execute("UPDATE projection SET mark = 0");
        });
        world.Journal.Dispose();
        using var connection = world.Database.OpenWriter(new());
        using var projector = new Projector(connection);
        Assert.Throws<BatchGivenUpException>(() => projector.Next(1000, () => false, () => ++asked >= checks));
        Assert.Equal(checks, asked);
        Assert.Equal(0, projector.Mark);
        Assert.Equal("", world.Tables());
        Assert.NotNull(projector.Next(1000, () => false, () => false));
        Assert.Equal(projected, world.Tables());
    }
}
