using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Tests;

/// <summary>Each threshold of what is counted and sent, a step on either side.</summary>
public sealed class ThresholdTests
{
    [Theory]
    [InlineData(-1, 0)]
    [InlineData(0, 1)]
    public async Task A_conversion_counts_from_the_moment_of_the_visit_on(int milliseconds, long counted)
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        world.Time.Advance(TimeSpan.FromHours(1));
        var visit = world.Enrols(test, 1);
        await world.Journal.AppendAsync(visit);
        await world.Journal.AppendAsync(
            world.Reaches(test, visit.Visitor) with
            {
                At = visit.At.AddMilliseconds(milliseconds),
            }
        );
        await world.Sales.RecordAsync(
            new(SaleKind.Sale, "L-1", "", 4900, "USD"),
            visit.Visitor,
            null,
            visit.At.AddMilliseconds(milliseconds)
        );
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(new Arm(1, counted), world.Tallies.Phases(test, world.Tests.Phases(test.Id)).Single().Arms[1]);
        Assert.Equal(counted, world.Tallies.Path(test.Id).GetValueOrDefault((test.Pages[1], test.Goal)));
        Assert.Equal(counted * 4900, world.Tallies.Money(test, Currency.Find("USD")!).Sum(page => page.Revenue.Sum));
    }

    [Fact]
    public async Task A_stay_counts_on_the_page_that_its_visitor_was_shown_and_on_no_other()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var visit = world.Enrols(test, 1);
        JournalEvent Stays(PageId page) =>
            new(
                Guid.CreateVersion7(),
                visit.At,
                EventKind.Stay,
                visit.Visitor,
                test.Step,
                page,
                Data: new StayNote(5000, true).ToString()
            );
        foreach (var happened in new[] { visit, Stays(test.Pages[0]) })
            await world.Journal.AppendAsync(happened);
        await world.Journal.WhenProjectedAsync();
        Assert.Empty(world.Tallies.Stays(test.Id));
        await world.Journal.AppendAsync(Stays(test.Pages[1]));
        await world.Journal.WhenProjectedAsync();
        var stay = world.Tallies.Stays(test.Id).Single();
        Assert.Equal((test.Pages[1], 1L, 5000.0), (stay.Page, stay.Visitors, stay.Time.TotalMilliseconds));
    }

    [Fact]
    public async Task What_is_not_taken_is_tried_again_ever_later_and_given_up_after_two_days()
    {
        using var world = new World();
        var outbox = new OutboxStore(world.Database, world.Journal, world.Time);
        await outbox.AddMailAsync("ann@larkrow.example", "Ready", "B is better.");
        OutboxLane lane = new(OutboxKind.Owner, new(0), null);
        foreach (var minutes in new[] { 1, 5, 15, 60, 240, 720, 1440 })
        {
            await outbox.FailedAsync(outbox.Due(lane, 10).Single(), "No answer.");
            world.Time.Advance(TimeSpan.FromMinutes(minutes) - TimeSpan.FromMilliseconds(1));
            Assert.Empty(outbox.Due(lane, 10));
            Assert.Empty(outbox.DueLanes());
            world.Time.Advance(TimeSpan.FromMilliseconds(1));
            Assert.Equal([lane], outbox.DueLanes());
        }
        await outbox.FailedAsync(outbox.Due(lane, 10).Single(), "No answer.");
        Assert.Equal((0L, 1L), outbox.Unsent());
        world.Time.Advance(TimeSpan.FromDays(30));
        Assert.Empty(outbox.DueLanes());
    }

    [Theory]
    [InlineData(-1, 0)]
    [InlineData(0, 4)]
    public async Task A_day_of_visitors_is_told_from_six_hours_on(int milliseconds, double aDay)
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Journal.AppendAsync(world.Enrols(test, 0));
        await world.Journal.WhenProjectedAsync();
        world.Time.Advance(TimeSpan.FromHours(6) + TimeSpan.FromMilliseconds(milliseconds));
        Assert.Equal(aDay, world.Tallies.VisitorsPerDay(test.Step));
    }

    [Fact]
    public async Task Two_hundred_tags_that_nobody_made_known_stand_apart_and_the_next_go_to_the_rest()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        for (var i = 0; i < 202; i++)
            await world.Journal.AppendAsync(
                world.Enrols(test, 0) with
                {
                    Data = VisitNote.From(Traits.Unknown with { Source = $"tag-{i}" }).ToString(),
                }
            );
        await world.Journal.WhenProjectedAsync();
        var lines = new SourceStore(world.Database, world.Journal, world.Time).Lines(
            world.Funnels.All().Single().Id,
            Currency.Default
        );
        Assert.Equal(200, lines.Count(line => line.Source is not null && line.Visitors == 1));
        Assert.Equal(2, lines.Single(line => line.Name == SourceStore.OtherTags).Visitors);
    }

    [Fact]
    public async Task Money_of_a_pair_of_pages_is_that_of_visitors_who_were_shown_both()
    {
        using var world = new World();
        var first = await world.StartTestAsync();
        var bundle = new PageBundle([new("index.html", "<h1>x"u8.ToArray())], "index.html");
        PageId[] thanks =
        [
            await world.Pages.AddAsync(first.Goal, "Thanks, kit", bundle),
            await world.Pages.AddAsync(first.Goal, "Thanks, seeds", bundle),
        ];
        var end = (await world.Funnels.AddStepAsync(world.Funnels.All().Single().Id, StepKind.Other, "End", "end"))!;
        var second = world.Tests.Find(
            (
                await world.Tests.StartAsync(
                    new(first.Goal, end.Id, "Offer", "", 0.1, 0.2, thanks, Weights.Create(50, 50))
                )
            )!.Value
        )!;
        // Everybody sees A of the first test; half of them go on, to either page of the second.
        JournalEvent[] visitors = [.. Enumerable.Range(0, 4).Select(_ => world.Enrols(first, 0))];
        foreach (var visitor in visitors)
            await world.Journal.AppendAsync(visitor);
        for (var i = 0; i < 2; i++)
            await world.Journal.AppendAsync(world.Enrols(second, i) with { Visitor = visitors[i].Visitor });
        for (var i = 0; i < 4; i++)
            await world.Sales.RecordAsync(
                new(SaleKind.Sale, $"P-{i}", "", 100 << (4 * i), "USD"),
                visitors[i].Visitor,
                null,
                world.Time.GetUtcNow()
            );
        await world.Journal.WhenProjectedAsync();
        var (one, other, cells) = world.Tallies.Pairs(second.Id).Single();
        Assert.Equal((first.Id, second.Id), (one, other));
        Assert.Equal(
            [(first.Pages[0], thanks[0], 100L), (first.Pages[0], thanks[1], 1600L)],
            cells.Select(cell => (cell.First, cell.Second, cell.Earned)).OrderBy(cell => cell.Earned)
        );
    }
}
