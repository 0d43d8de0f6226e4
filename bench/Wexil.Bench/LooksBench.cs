using System.Diagnostics;
using Wexil.App.Monitoring;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.Bench;

/// <summary>
/// A verdict over ten pages with a million visitors each against the textbook's tests alone, and the hourly look at a
/// thousand running tests.
/// </summary>
public static class LooksBench
{
    private const int Pages = 10,
        PageVisitors = 1_000_000,
        Verdicts = 200,
        Looks = 5;

    public static async Task RunAsync(bool quick)
    {
        MeasureVerdict();
        await MeasureLooksAsync(quick ? 100 : 1000);
    }

    private static void MeasureVerdict()
    {
        var random = new Random(1);
        List<double> verdicts = [],
            textbook = [];
        for (var i = 0; i < Verdicts; i++)
        {
            // Three phases, and other numbers each time.
            PhaseFacts[] phases =
            [
                .. Enumerable
                    .Range(0, 3)
                    .Select(_ => new PhaseFacts(
                        Weights.Even(Pages).Percent,
                        [
                            .. Enumerable
                                .Range(0, Pages)
                                .Select(_ => new Arm(PageVisitors / 3, 30_000 + random.Next(1500))),
                        ]
                    )),
            ];
            RevenueSample[][] money =
            [
                .. phases.Select(phase =>
                    phase
                        .Arms.Select(arm => new RevenueSample(
                            arm.Visitors,
                            arm.Conversions * 3900.0,
                            arm.Conversions * 3900.0 * 4200
                        ))
                        .ToArray()
                ),
            ];
            TestPage[] pages =
            [
                .. Enumerable
                    .Range(0, Pages)
                    .Select(page => new TestPage(new(page + 1), ((char)('A' + page)).ToString(), "Page")),
            ];
            var facts = new TestFacts(pages, 0, phases, 0.09, 0.1, 20_000, null, ("opt-ins", "opt-in"))
            {
                Plan = SamplingPlan.ForLift(0.09, 0.1, PlannedSize.PlannedDrift(Pages)),
            };
            var began = Stopwatch.GetTimestamp();
            var standing = TestResult.From(facts);
            var earned = RevenueResult.From(facts, money, new(351, 1e6), []);
            _ = VerdictRule.Apply(standing, earned, onMoney: i % 2 == 0);
            verdicts.Add(Stopwatch.GetElapsedTime(began).TotalMilliseconds);
            began = Stopwatch.GetTimestamp();
            _ = standing.Challengers.Select(page => TwoRates.PooledP(standing.Control.Total, page.Total)).Min();
            _ = earned.Challengers.Select(page => RevenueSample.Compare(earned.Control.Total, page.Total)?.P).Min();
            textbook.Add(Stopwatch.GetElapsedTime(began).TotalMilliseconds);
        }
        verdicts.Sort();
        textbook.Sort();
        Console.WriteLine(
            $"verdict and chances of {Pages} pages with {PageVisitors:N0} visitors each, by conversions and "
                + $"by money: {verdicts[Verdicts / 2]:0.0} ms (p95 {verdicts[Verdicts * 95 / 100]:0.0} ms); the "
                + $"textbook's tests alone {textbook[Verdicts / 2] * 1000:0} µs"
        );
    }

    private static async Task MeasureLooksAsync(int count)
    {
        await using var world = await BenchWorld.StartAsync();
        var (funnels, pages, tests) = (world.Get<FunnelStore>(), world.Get<PageStore>(), world.Get<TestStore>());
        var waiting = new List<Task>();
        var (now, chance) = (DateTimeOffset.UtcNow, new SeededChance(2));
        for (var f = 0; f < count / 4; f++)
        {
            var funnel = await funnels.CreateAsync($"Funnel {f}");
            Step[] steps =
            [
                .. await Task.WhenAll(
                    Enumerable
                        .Range(0, 5)
                        .Select(async s =>
                            (
                                await funnels.AddStepAsync(
                                    funnel.Id,
                                    s == 4 ? StepKind.ThankYou : StepKind.Sales,
                                    $"Step {s}",
                                    $"looks-{f}-{s}"
                                )
                            )!
                        )
                ),
            ];
            var last = await pages.AddAsync(steps[4].Id, "Thanks", new Uri("https://larkrow.example/thanks"));
            foreach (var step in steps[..4])
            {
                var tested = new List<PageId>();
                for (var i = 0; i < 4; i++)
                    tested.Add(await pages.AddAsync(step.Id, $"Page {i}", new Uri($"https://larkrow.example/{f}/{i}")));
                var test = (
                    await tests.StartAsync(new(step.Id, steps[4].Id, "Bench", "", 0.1, 0.2, tested, Weights.Even(4)))
                )!.Value;
                var phase = tests.Phases(test)[^1].Id;
                for (var v = 0; v < 400; v++)
                {
                    var visitor = VisitorId.New(now, chance);
                    waiting.Add(
                        world.Host.Journal.AppendAsync(
                            new(
                                Guid.CreateVersion7(now),
                                now,
                                EventKind.Enrol,
                                visitor,
                                step.Id,
                                tested[v % 4],
                                test,
                                phase
                            )
                        )
                    );
                    if (v % 3 == 0)
                        waiting.Add(
                            world.Host.Journal.AppendAsync(
                                new(Guid.CreateVersion7(now), now, EventKind.Visit, visitor, steps[4].Id, last)
                            )
                        );
                }
            }
            await Task.WhenAll(waiting);
            waiting.Clear();
        }
        await world.Host.Journal.WhenProjectedAsync();
        var times = new List<double>();
        for (var i = 0; i < Looks; i++)
        {
            var watch = Stopwatch.StartNew();
            await world.Get<TestMonitor>().LookAsync();
            times.Add(watch.Elapsed.TotalSeconds);
        }
        Console.WriteLine(
            $"a look at {count:N0} running tests of four pages: {times.Order().ElementAt(Looks / 2):0.00} s "
                + $"(the slowest of {Looks}: {times.Max():0.00} s)"
        );
    }
}
