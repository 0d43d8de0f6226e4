using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Tests;

/// <summary>Who is known, whichever way they came.</summary>
public sealed class PeopleTests
{
    [Fact]
    public async Task Each_address_stands_once_where_it_opted_in_last_and_nobody_is_missed_at_the_edge_of_a_chunk()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        // So many in one moment that a chunk ends among them; every third opts in twice, with other capitals.
        await Task.WhenAll(
            Enumerable
                .Range(0, 450)
                .Select(i => OptInAsync(world, test.Step, test.Pages[0], $"reader{i}@balcony.example"))
        );
        world.Time.Advance(TimeSpan.FromMinutes(1));
        await world.People.AddAsync([("added@balcony.example", []), ("READER5@balcony.example", [])]);
        world.Time.Advance(TimeSpan.FromMinutes(1));
        await Task.WhenAll(
            Enumerable
                .Range(0, 150)
                .Select(i => OptInAsync(world, test.Step, test.Pages[1], $"Reader{3 * i}@balcony.example"))
        );
        await world.Journal.WhenProjectedAsync();

        var all = world.People.Find(new(), 1000);
        Assert.Equal(451, all.Count);
        Assert.Equal(451, all.DistinctBy(person => person.Email, StringComparer.OrdinalIgnoreCase).Count());
        Assert.Equal(all.OrderByDescending(person => person.At).Select(person => person.At), all.Select(p => p.At));
        Assert.All(all.Take(150), person => Assert.Equal("First salad", person.Page));
        Assert.Equal("added@balcony.example", all[150].Email);
        Assert.Equal(all, world.People.Chunks(new()).SelectMany(chunk => chunk), Same);
        Assert.Equal(all.Skip(290).Take(20), world.People.Find(new(), 20, 290), Same);
        Assert.Equal(451, world.People.Count(new()));
        Assert.Equal(1, world.People.Count(new("READER3@")));
        Assert.Equal(150, world.People.Count(new(Page: "First salad")));
        Assert.Equal(["added@balcony.example"], world.People.Find(new("ADDED"), 10).Select(person => person.Email));
        Assert.Equal("First salad", world.People.Find("READER3@balcony.example")?.Page);
        Assert.Equal("", world.People.Find("added@balcony.example")?.Page);
        Assert.Null(world.People.Find("nobody@balcony.example"));
    }

    private static bool Same(Person one, Person other) => (one.Email, one.At) == (other.Email, other.At);

    private static Task OptInAsync(World world, StepId step, PageId page, string email) =>
        world.Journal.AppendAsync(
            new(
                Guid.CreateVersion7(world.Time.GetUtcNow()),
                world.Time.GetUtcNow(),
                EventKind.OptIn,
                VisitorId.New(world.Time.GetUtcNow(), world.Chance),
                step,
                page,
                Data: email
            )
        );
}
