using System.Diagnostics;
using System.Text;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.Bench;

/// <summary>
/// A page with sections against the same page without, the same generator in turns; and how long the screens of ten
/// sections with three versions each take over more and more visits: 59,049 combinations.
/// </summary>
public static class SectionsBench
{
    private const int Connections = 64,
        Versions = 3,
        Many = 10,
        Openings = 20;
    private const double Returning = 0.3;

    public static async Task RunAsync(bool quick)
    {
        var (rounds, duration) = quick ? (2, TimeSpan.FromSeconds(2)) : (5, TimeSpan.FromSeconds(5));
        await using var world = await BenchWorld.StartAsync();
        var funnel = await world.Get<FunnelStore>().CreateAsync("Sections");
        var thanks = (await world.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.ThankYou, "End", "end"))!;
        var pages = world.Get<PageStore>();
        await pages.AddAsync(thanks.Id, "End", PageBundle.OneFile("<!doctype html><title>End</title><h1>End"));
        var plain = await MakeAsync(world, funnel, thanks, "none", 0);
        var two = await MakeAsync(world, funnel, thanks, "two", 2);
        var ten = await MakeAsync(world, funnel, thanks, "ten", Many);
        Console.WriteLine(
            $"{Connections} connections, {rounds} rounds of {duration.TotalSeconds:0} s each, "
                + $"{Environment.ProcessorCount} cores shared with the generator."
        );
        foreach (var made in new[] { two, ten })
        {
            await CompareAsync(world, plain, made, "tried", 0, rounds, duration);
            await CompareAsync(world, plain, made, "counted", Returning, rounds, duration);
        }
        await ScreensAsync(world, ten, quick ? [10_000, 100_000] : [10_000, 1_000_000, 5_000_000]);
    }

    /// <param name="Choices">What each combination that is tried adds to the page's address.</param>
    private sealed record Made(Step Step, Page Page, IReadOnlyList<SplitTest> Tests, IReadOnlyList<string> Choices);

    private static async Task<Made> MakeAsync(BenchWorld world, Funnel funnel, Step thanks, string slug, int sections)
    {
        var step = (await world.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.Sales, slug, slug))!;
        // Before the thank-you page, so that it can be the goal.
        var html = new StringBuilder("<!doctype html><title>Bench</title><body>");
        for (var i = 0; i < 200; i++)
            html.Append(
                i % 20 == 0 && i / 20 < sections
                    ? $"<h2 data-wexil-section=\"{slug}-{i / 20}\">Part {i} with a few words in it.</h2>\n"
                    : $"<p>Paragraph {i} with a few words in it.</p>\n"
            );
        var pages = world.Get<PageStore>();
        var page = pages.Find(await pages.AddAsync(step.Id, slug, PageBundle.OneFile(html.ToString())))!;
        var tests = new List<SplitTest>();
        for (var i = 0; i < sections; i++)
            tests.Add(await TestAsync(world, step, thanks, $"{slug}-{i}"));
        var chance = new Random(1);
        string Choice() => string.Join(',', tests.Select(test => pages.Find(test.Pages[chance.Next(Versions)])!.Slug));
        return new(step, page, tests, [.. Enumerable.Range(0, 500).Select(_ => Choice())]);
    }

    private static async Task<SplitTest> TestAsync(BenchWorld world, Step host, Step thanks, string key)
    {
        var section = (await world.Get<FunnelStore>().AddSectionAsync(host, key, key, "<h2>As it is</h2>"))!;
        for (var version = 1; version < Versions; version++)
            await world.Get<PageStore>().AddVersionAsync(section.Id, $"{key} {version}", $"<h2>Words {version}</h2>");
        PageId[] versions = [.. world.Get<PageStore>().ForStep(section.Id).Select(page => page.Id)];
        TestPlan plan = new(section.Id, thanks.Id, key, "", 0.1, 0.2, versions, Weights.Even(Versions));
        return world.Get<TestStore>().Find((await world.Get<TestStore>().StartAsync(plan))!.Value)!;
    }

    private static async Task CompareAsync(
        BenchWorld world,
        Made plain,
        Made made,
        string how,
        double returning,
        int rounds,
        TimeSpan duration
    )
    {
        var isTried = how == "tried";
        string[] Paths(Made of) =>
            isTried
                ? [.. of.Choices.Select(choice => $"/p/{of.Page.Slug}/?wx_versions={choice}")]
                : [$"/go/{of.Step.Slug}"];
        Task<Round> LoadAsync(Made of, TimeSpan time) =>
            LoadGenerator.RunAsync(world.Host.Options.Visitors, Connections, time, returning, "200", Paths(of));
        var ratios = new List<double>();
        for (var i = 0; i <= rounds; i++)
        {
            var time = i == 0 ? TimeSpan.FromSeconds(2) : duration;
            var without = await LoadAsync(plain, time);
            await world.Host.Journal.WhenProjectedAsync();
            var with = await LoadAsync(made, time);
            await world.Host.Journal.WhenProjectedAsync();
            if (i == 0)
                continue;
            ratios.Add(with.PerSecond / without.PerSecond);
            Console.WriteLine(
                $"{made.Tests.Count} sections, {how}, round {i}: without {Figure.Padded(without.PerSecond)} a second, "
                    + $"with {Figure.Padded(with.PerSecond)} a second, p99 {with.Quantile(0.99):0.0} ms, "
                    + $"failed {without.Failed + with.Failed}"
            );
        }
        ratios.Sort();
        Console.WriteLine(
            $"ratio for {made.Tests.Count} sections, {how}, median of the rounds: {ratios[ratios.Count / 2]:0.00}"
        );
    }

    private static async Task ScreensAsync(BenchWorld world, Made made, long[] totals)
    {
        using var owner = await world.OwnerAsync();
        var filler = new Filler(world, made.Tests);
        long visits = 0;
        foreach (var total in totals)
        {
            var watch = Stopwatch.StartNew();
            await filler.FillAsync(total - visits);
            var rate = (total - visits) / watch.Elapsed.TotalSeconds;
            visits = total;
            foreach (
                var (what, path) in new[]
                {
                    ("Sections", "/f/sections/ten/sections"),
                    ("Count of one", "/f/sections/ten-0/count"),
                }
            )
            {
                await owner.GetStringAsync(path);
                var times = new List<double>();
                for (var i = 0; i < Openings; i++)
                {
                    var opening = Stopwatch.GetTimestamp();
                    await owner.GetStringAsync(path);
                    times.Add(Stopwatch.GetElapsedTime(opening).TotalMilliseconds);
                }
                times.Sort();
                Console.WriteLine(
                    $"{Figure.Padded(visits)} places taken in {Many} sections: {what} opens in "
                        + $"{times[Openings / 2]:0.0} ms (slowest {times[^1]:0.0}); filled at {rate:N0} a second"
                );
            }
        }
    }

    /// <summary>Visitors who take their place in every section, one in eleven of whom converts.</summary>
    private sealed class Filler(BenchWorld world, IReadOnlyList<SplitTest> tests)
    {
        private readonly IChance _chance = new SeededChance(1);
        private readonly Random _versions = new(1);
        private readonly DateTimeOffset _from = DateTimeOffset.UtcNow;
        private readonly PhaseId[] _phases = [.. tests.Select(test => world.Get<TestStore>().Phases(test.Id)[^1].Id)];
        private long _count;

        /// <param name="places">How many places are taken, ten by each visitor.</param>
        public async Task FillAsync(long places)
        {
            var note = new VisitNote(Device.Phone, "US", "en", false, null, "").ToString();
            var waiting = new List<Task>();
            for (var i = 0L; i < places; i += tests.Count)
            {
                var at = _from.AddMilliseconds(_count++ * 500);
                var visitor = VisitorId.New(at, _chance);
                for (var section = 0; section < tests.Count; section++)
                {
                    var (test, version) = (tests[section], tests[section].Pages[_versions.Next(Versions)]);
                    waiting.Add(
                        world.Host.Journal.AppendAsync(
                            new(
                                Guid.CreateVersion7(at),
                                at,
                                EventKind.Enrol,
                                visitor,
                                test.Step,
                                version,
                                test.Id,
                                _phases[section],
                                note
                            )
                        )
                    );
                }
                if (_count % 11 == 0)
                    waiting.Add(
                        world.Host.Journal.AppendAsync(
                            new(Guid.CreateVersion7(at), at, EventKind.Visit, visitor, tests[0].Goal, new(3))
                        )
                    );
                if (waiting.Count < 20_000)
                    continue;
                await Task.WhenAll(waiting);
                waiting.Clear();
            }
            await Task.WhenAll(waiting);
            await world.Host.Journal.WhenProjectedAsync();
        }
    }
}
