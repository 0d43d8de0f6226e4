using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Tests;

public sealed class TallyTests
{
    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public async Task Tallies_agree_with_counting_by_hand_whatever_visitors_do(int seed)
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var random = new Random(seed);
        var places = new Dictionary<VisitorId, (PageId Page, PhaseId Phase)>();
        var converted = new HashSet<VisitorId>();
        var visitors = Enumerable
            .Range(0, 60)
            .Select(i => VisitorId.New(world.Time.GetUtcNow(), new SeededChance(1000 * seed + i)))
            .ToArray();
        for (var i = 0; i < 600; i++)
        {
            world.Time.Advance(TimeSpan.FromMinutes(random.Next(30)));
            if (i % 150 == 149)
                await world.Tests.ChangeWeightsAsync(test.Id, Weights.Create(20 + i / 10, 80 - i / 10));
            var visitor = visitors[random.Next(visitors.Length)];
            var phase = world.Tests.Phases(test.Id)[^1].Id;
            if (random.Next(3) > 0)
            {
                // Enrols again and again, as a visitor without a store to ask would; only the first place counts.
                var page = test.Pages[random.Next(2)];
                places.TryAdd(visitor, (page, phase));
                await world.Journal.AppendAsync(
                    new(
                        Guid.CreateVersion7(),
                        world.Time.GetUtcNow(),
                        EventKind.Enrol,
                        visitor,
                        test.Step,
                        page,
                        test.Id,
                        phase
                    )
                );
            }
            else
            {
                if (places.ContainsKey(visitor))
                    converted.Add(visitor);
                await world.Journal.AppendAsync(world.Reaches(test, visitor));
            }
        }
        await world.Journal.WhenProjectedAsync();

        var phases = world.Tests.Phases(test.Id);
        var tallies = world.Tallies.Phases(world.Tests.Find(test.Id)!, phases);
        for (var p = 0; p < phases.Count; p++)
        {
            var byHand = test.Pages.Select(page =>
            {
                var here = places
                    .Where(place => place.Value == (page, phases[p].Id))
                    .Select(place => place.Key)
                    .ToArray();
                return new Arm(here.Length, here.Count(converted.Contains));
            });
            Assert.Equal(byHand, tallies[p].Arms);
        }
        var buckets = world.Tallies.PageBuckets(test.Id);
        Assert.Equal(
            (places.Count, converted.Count),
            (buckets.Sum(bucket => bucket.Arm.Visitors), buckets.Sum(bucket => bucket.Arm.Conversions))
        );
        Assert.All(buckets, bucket => Assert.Equal(0, bucket.From.ToUnixTimeMilliseconds() % (15 * 60 * 1000)));
        var first = buckets[0].From;
        var byDay = world.Tallies.ConversionsByDay(
            [test.Id],
            first,
            (int)(world.Time.GetUtcNow() - first).TotalDays + 1
        );
        Assert.Equal(converted.Count, byDay[test.Id].Sum());
    }

    [Fact]
    public async Task Silence_counts_the_visitors_since_the_last_conversion()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        ConversionGap? Gap() =>
            new EvidenceStore(world.Database, world.Time)
                .Read([(test, world.Funnels.AllSteps().Single(step => step.Id == test.Step))], Currency.Default)[0]
                .Gap;
        var first = world.Enrols(test, 0);
        await world.Journal.AppendAsync(first);
        await world.Journal.WhenProjectedAsync();
        Assert.Null(Gap());
        world.Time.Advance(TimeSpan.FromMinutes(5));
        await world.Journal.AppendAsync(world.Reaches(test, first.Visitor));
        var last = world.Time.GetUtcNow();
        for (var i = 0; i < 7; i++)
            await world.Journal.AppendAsync(world.Enrols(test, i % 2));
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(new(7, last), Gap());
    }

    [Fact]
    public async Task The_buyers_who_brought_most_are_known_by_page_with_their_refunds_taken_off()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        async Task BuysAsync(int page, int number, params long[] amounts)
        {
            var visitor = world.Enrols(test, page);
            await world.Journal.AppendAsync(visitor);
            foreach (var (amount, i) in amounts.Select((amount, i) => (amount, i)))
                await world.Sales.RecordAsync(
                    new(SaleKind.Sale, $"L-{page}-{number}-{i}", $"{i}", amount, "USD"),
                    visitor.Visitor,
                    null,
                    world.Time.GetUtcNow()
                );
        }
        for (var i = 0; i < 5; i++)
            await BuysAsync(0, i, 1000 + i);
        // Two orders of one buyer are what that buyer brought.
        await BuysAsync(0, 5, 900, 800);
        await BuysAsync(1, 0, 5000);
        await world.Journal.WhenProjectedAsync();
        LargeBuyers[] Large() =>
            [
                .. new EvidenceStore(world.Database, world.Time)
                    .Read([(test, world.Funnels.AllSteps().Single(step => step.Id == test.Step))], Currency.Default)[0]
                    .Large,
            ];
        Assert.Equal((6, 1), (Large()[0].Buyers, Large()[1].Buyers));
        Assert.Equal([1700, 1004, 1003], Large()[0].Largest);
        Assert.Equal([5000], Large()[1].Largest);
        await world.Sales.RecordAsync(
            new(SaleKind.Refund, "L-0-5-0", "back", 900, "USD"),
            null,
            null,
            world.Time.GetUtcNow()
        );
        await world.Journal.WhenProjectedAsync();
        Assert.Equal([1004, 1003, 1002], Large()[0].Largest);
        await world.Journal.RecountAsync();
        await world.Journal.WhenProjectedAsync();
        Assert.Equal([1004, 1003, 1002], Large()[0].Largest);
    }

    [Fact]
    public async Task A_day_of_visitors_is_measured_over_the_time_that_they_came_in()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Journal.AppendAsync(world.Enrols(test, 0));
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(0, world.Tallies.VisitorsPerDay(test.Step));
        for (var i = 0; i < 99; i++)
            await world.Journal.AppendAsync(world.Enrols(test, 0));
        await world.Journal.WhenProjectedAsync();
        world.Time.Advance(TimeSpan.FromDays(2));
        Assert.Equal(50, world.Tallies.VisitorsPerDay(test.Step), 1.0);
        Assert.Equal(100, world.Tallies.Traffic()[test.Step].PerDay * 7, 1e-9);
        Assert.Equal(0, world.Tallies.ConversionsLastWeek());
        world.Time.Advance(TimeSpan.FromDays(8));
        Assert.Equal(0, world.Tallies.VisitorsPerDay(test.Step));
    }
}
