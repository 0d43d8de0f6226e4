using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Tests;

public sealed class SectionTests
{
    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    public async Task Combinations_and_pairs_agree_with_counting_by_hand(int seed)
    {
        using var world = new World();
        var (host, tests) = await StartAsync(world, sections: 3, versions: 3);
        var random = new Random(seed);
        var drawn = new Dictionary<VisitorId, int[]>();
        var converted = new HashSet<VisitorId>();
        for (var i = 0; i < 80; i++)
        {
            world.Time.Advance(TimeSpan.FromMinutes(random.Next(20)));
            var visitor = VisitorId.New(world.Time.GetUtcNow(), world.Chance);
            int[] versions = [random.Next(3), random.Next(3), random.Next(3)];
            drawn[visitor] = versions;
            await ComeAsync(world, host, tests, visitor, versions);
            if (random.Next(3) > 0)
                continue;
            converted.Add(visitor);
            // Told twice, it counts once.
            for (var twice = 0; twice < 2; twice++)
                await world.Journal.AppendAsync(world.Reaches(tests[0], visitor));
        }
        await world.Journal.WhenProjectedAsync();

        Arm Count(Func<int[], bool> which)
        {
            var visitors = drawn.Where(place => which(place.Value)).Select(place => place.Key).ToArray();
            return new(visitors.Length, visitors.Count(converted.Contains));
        }
        var combinations = world
            .Tallies.Combinations(host.Id)
            .Where(tally => tally is { Versions.Count: 3, Arm.Visitors: > 0 })
            .ToArray();
        Assert.Equal(
            drawn.Values.Select(versions => string.Join(',', versions)).Distinct().Count(),
            combinations.Length
        );
        foreach (var combination in combinations)
        {
            int[] versions = [.. tests.Select(test => Index(test, combination.Versions[test.Id]))];
            Assert.Equal(Count(versions.SequenceEqual), combination.Arm);
        }
        foreach (var (first, second, cells) in tests.SelectMany(test => world.Tallies.Pairs(test.Id)))
        {
            var (one, other) = (tests.FindIndex(t => t.Id == first), tests.FindIndex(t => t.Id == second));
            Assert.True(one < other);
            foreach (var cell in cells)
                Assert.Equal(
                    Count(versions =>
                        versions[one] == Index(tests[one], cell.First)
                        && versions[other] == Index(tests[other], cell.Second)
                    ),
                    cell.Arm
                );
        }
        var before = world.Tables();
        await world.Journal.RecountAsync();
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(before, world.Tables());
    }

    [Fact]
    public async Task A_section_is_no_step_that_anybody_reaches()
    {
        using var world = new World();
        var (host, tests) = await StartAsync(world, sections: 1, versions: 2);
        var visitor = VisitorId.New(world.Time.GetUtcNow(), world.Chance);
        await ComeAsync(world, host, tests, visitor, [1]);
        await world.Journal.WhenProjectedAsync();
        var visitors = world.Tallies.StepVisitors();
        Assert.Equal(1, visitors[host.Id]);
        Assert.False(visitors.ContainsKey(tests[0].Step));
        Assert.DoesNotContain(world.Funnels.Steps(host.Funnel), step => step.IsSection);
        Assert.Equal(tests[0].Step, Assert.Single(world.Funnels.Sections(host.Funnel)).Id);
    }

    [Fact]
    public async Task Pages_find_a_section_by_its_key_and_no_link_leads_to_it()
    {
        using var world = new World();
        var (host, tests) = await StartAsync(world, sections: 1, versions: 2);
        var routes = world.Routes.Load();
        var section = routes.Section("part-0")!;
        Assert.Equal((host.Id, tests[0].Id, 2), (section.Host, section.Test!.Id, section.Candidates.Count));
        Assert.Null(routes.Step("part-0"));
        Assert.Null(routes.Page(section.Page!.Slug));
        Assert.NotNull(routes.PageOrVersion(section.Page.Slug));
        Assert.DoesNotContain(routes.Steps, step => step.IsSection);
        // The steps lead on past the sections.
        Assert.Equal("inbox", routes.Step("calendar")!.YesSlug);
        Assert.Null(routes.Step("inbox")!.YesSlug);
        Assert.NotNull(routes.With(host.Funnel, world.Routes.Load(routes, host.Funnel)).Section("part-0"));
    }

    [Fact]
    public async Task Excluded_pairs_are_routed_both_ways_and_what_a_test_falls_back_to_is_in_none()
    {
        using var world = new World();
        var (host, tests) = await StartAsync(world, sections: 2, versions: 3);
        var excluded = new ExcludedPairStore(world.Database, world.Journal, world.Time);
        var (first, second) = (tests[0].Pages, tests[1].Pages);
        await excluded.ExcludeAsync(host.Id, second[2], first[1]);
        await excluded.ExcludeAsync(host.Id, first[1], second[2]);
        await excluded.ExcludeAsync(host.Id, first[0], second[2]);
        Assert.Equal([(first[0], second[2]), (first[1], second[2])], excluded.On(host.Id));
        var routes = world.Routes.Load();
        var (one, other) = (routes.Section("part-0")!, routes.Section("part-1")!);
        Assert.Equal([one, other], routes.SectionsOn(host.Id).OrderBy(section => section.Slug));
        Assert.True(one.IsExcluded(first[1], second[2]));
        Assert.True(other.IsExcluded(second[2], first[1]));
        Assert.False(one.IsExcluded(first[0], second[2]));
        Assert.False(one.IsExcluded(first[1], second[1]));
        await excluded.AdmitAsync(host.Id, first[1], second[2]);
        Assert.False(world.Routes.Load().Section("part-0")!.IsExcluded(first[1], second[2]));
    }

    [Fact]
    public async Task A_version_that_goes_with_not_every_other_can_be_deleted_as_long_as_nobody_saw_it()
    {
        using var world = new World();
        var (host, tests) = await StartAsync(world, sections: 1, versions: 2);
        var excluded = new ExcludedPairStore(world.Database, world.Journal, world.Time);
        var version = world.Pages.Find(await world.Pages.AddVersionAsync(tests[0].Step, "Unseen", "<p>"))!;
        await excluded.ExcludeAsync(host.Id, version.Id, tests[0].Pages[1]);
        Assert.Null(await new PageShelf(world.Database, world.Journal, world.Time).DeleteAsync(version));
        Assert.Empty(excluded.On(host.Id));
    }

    [Fact]
    public async Task No_more_combinations_are_counted_than_can_be_told_apart()
    {
        using var world = new World();
        var (host, tests) = await StartAsync(world, sections: 7, versions: 3);
        var events = new List<JournalEvent>();
        for (var i = 0; i < 1200; i++)
        {
            var visitor = VisitorId.New(world.Time.GetUtcNow(), world.Chance);
            int[] versions = [.. Enumerable.Range(0, 7).Select(section => i / (int)Math.Pow(3, section) % 3)];
            events.AddRange(Events(world, host, tests, visitor, versions));
        }
        await Task.WhenAll(events.Select(happened => world.Journal.AppendAsync(happened)));
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(SectionsResult.MaxCombinations, world.Tallies.Combinations(host.Id).Count);
        var pairs = world.Tallies.Pairs(tests[0].Id);
        Assert.Equal(6, pairs.Count);
        Assert.All(pairs, pair => Assert.Equal(1200, pair.Cells.Sum(cell => cell.Arm.Visitors)));
    }

    private static int Index(SplitTest test, PageId page) => test.Pages.ToList().IndexOf(page);

    private static async Task ComeAsync(
        World world,
        Step host,
        List<SplitTest> tests,
        VisitorId visitor,
        int[] versions
    )
    {
        foreach (var happened in Events(world, host, tests, visitor, versions))
            await world.Journal.AppendAsync(happened);
    }

    private static IEnumerable<JournalEvent> Events(
        World world,
        Step host,
        List<SplitTest> tests,
        VisitorId visitor,
        int[] versions
    )
    {
        var now = world.Time.GetUtcNow();
        yield return new(Guid.CreateVersion7(), now, EventKind.Visit, visitor, host.Id, host.Page!.Value);
        for (var i = 0; i < tests.Count; i++)
            yield return world.Enrols(tests[i], versions[i]) with
            {
                Visitor = visitor,
            };
    }

    private static async Task<(Step Host, List<SplitTest> Tests)> StartAsync(World world, int sections, int versions)
    {
        var plan = await world.PlanTestAsync();
        var funnel = world.Funnels.BySlug("balcony-harvest")!;
        var host = world.Funnels.Steps(funnel.Id)[0];
        var tests = new List<SplitTest>();
        for (var i = 0; i < sections; i++)
        {
            var section = (await world.Funnels.AddSectionAsync(host, $"Part {i}", $"part-{i}", $"<p>{i}</p>"))!;
            for (var version = 1; version < versions; version++)
                await world.Pages.AddVersionAsync(section.Id, $"Version {version}", "");
            PageId[] pages = [.. world.Pages.ForStep(section.Id).Select(page => page.Id)];
            var test = await world.Tests.StartAsync(
                plan with
                {
                    Step = section.Id,
                    Pages = pages,
                    Weights = Weights.Even(versions),
                }
            );
            tests.Add(world.Tests.Find(test!.Value)!);
        }
        return (host, tests);
    }
}
