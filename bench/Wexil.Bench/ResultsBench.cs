using System.Diagnostics;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Web.Studio.Account;

namespace Wexil.Bench;

/// <summary>Opens the Count screen over more and more visits: the time must not grow.</summary>
public static class ResultsBench
{
    private const int Openings = 40,
        Pages = 10;
    private static readonly string[] Segments = [.. Enum.GetNames<SegmentKind>()];

    public static async Task RunAsync(bool quick)
    {
        await using var world = await BenchWorld.StartAsync(Pages);
        using var owner = new HttpClient { BaseAddress = world.Host.Options.Studio };
        await owner.GetAsync($"/sign-in?key={world.Get<SignInLinks>().Issue()}");
        long visits = 0;
        var filler = new Filler(world);
        foreach (var total in quick ? new long[] { 10_000, 100_000 } : [10_000, 1_000_000, 5_000_000])
        {
            var watch = Stopwatch.StartNew();
            await filler.FillAsync(total - visits);
            var rate = (total - visits) / watch.Elapsed.TotalSeconds;
            visits = total;
            foreach (var segment in Segments)
                await owner.GetStringAsync($"/f/bench/bench/count?segment={segment}");
            var times = new List<double>();
            for (var i = 0; i < Openings; i++)
            {
                var opening = Stopwatch.GetTimestamp();
                await owner.GetStringAsync(
                    $"/f/bench/bench/count?segment={Segments[i % Segments.Length]}&running=true"
                );
                times.Add(Stopwatch.GetElapsedTime(opening).TotalMilliseconds);
            }
            times.Sort();
            Console.WriteLine(
                $"{Figure.Padded(visits)} visits: Count of {Pages} pages with segments opens in "
                    + $"{times[Openings / 2]:0.0} ms (slowest {times[^1]:0.0}, p95 {times[Openings * 95 / 100]:0.0} "
                    + $"ms); filled at {rate:N0} a second, projected"
            );
        }
    }

    /// <summary>New visitors spread over a month, one in eleven of whom converts, straight into the journal.</summary>
    private sealed class Filler(BenchWorld world)
    {
        private readonly IChance _chance = new SeededChance(1);
        private readonly DateTimeOffset _from = DateTimeOffset.UtcNow;
        private readonly PhaseId _phase = world.Get<TestStore>().Phases(world.Test.Id)[^1].Id;
        private static readonly string[] Countries = [.. Names.Countries.Select(country => country.Code)];
        private long _count;

        public async Task FillAsync(long visits)
        {
            var waiting = new List<Task>();
            for (var i = 0L; i < visits; i++)
            {
                var at = _from.AddMilliseconds(_count++ * 500);
                var visitor = VisitorId.New(at, _chance);
                var page = world.Test.Pages[(int)(_count % Pages)];
                var note = new VisitNote(
                    (Device)(_count % 3),
                    Countries[_count % Countries.Length],
                    "en",
                    _count % 7 == 0,
                    null,
                    $"source{_count % 300}"
                ).ToString();
                waiting.Add(
                    world.Host.Journal.AppendAsync(
                        new(
                            Guid.CreateVersion7(at),
                            at,
                            EventKind.Enrol,
                            visitor,
                            world.Test.Step,
                            page,
                            world.Test.Id,
                            _phase,
                            note
                        )
                    )
                );
                if (_count % 11 == 0 && ++i < visits)
                    waiting.Add(
                        world.Host.Journal.AppendAsync(
                            new(Guid.CreateVersion7(at), at, EventKind.Visit, visitor, world.Test.Goal, new(3))
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
