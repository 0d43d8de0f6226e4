using System.Diagnostics;
using System.Text;
using Microsoft.Extensions.DependencyInjection;
using Wexil.App.Results;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Store.Team;
using Wexil.Web.Hosting;
using Wexil.Web.Studio.Account;

namespace Wexil.Bench.Screens;

/// <summary>How large an agency's world is.</summary>
/// <param name="Leaning">Running tests whose weights followed the evidence.</param>
/// <param name="Phases">Of each of those.</param>
public sealed record AgencySize(int Funnels, long Visits, int People, int Orders, int Leaning, int Phases)
{
    public static readonly AgencySize Whole = new(200, 10_000_000, 200_000, 50_000, 100, 200);
    public static readonly AgencySize Small = new(20, 200_000, 4_000, 1_000, 10, 50);
}

/// <summary>
/// An agency's funnels over ninety days, recorded through the journal: on each of five steps two tests that were
/// decided and one that runs.
/// </summary>
public sealed class AgencyWorld
{
    private const int Days = 90,
        PagesAStep = 4,
        BatchSize = 20_000;

    /// <summary>New visits that the speed of recording is measured by.</summary>
    private const int Measured = 500_000;

    private static readonly StepKind[] Kinds =
    [
        StepKind.OptIn,
        StepKind.Sales,
        StepKind.Checkout,
        StepKind.Upsell,
        StepKind.Downsell,
        StepKind.ThankYou,
    ];

    /// <summary>Of a step's visitors, how many go on.</summary>
    private static readonly double[] Onward = [0.45, 0.4, 0.5, 0.4, 0.6];

    private readonly WexilHost _host;
    private readonly AgencySize _size;
    private readonly DateTimeOffset _from,
        _until;
    private readonly IChance _chance = new SeededChance(17);
    private readonly Random _random = new(17);
    private readonly List<Task> _recording = [];
    private readonly Track[][] _tracks;
    private long _visits,
        _people,
        _orders,
        _visitors;

    private AgencyWorld(WexilHost host, AgencySize size, DateTimeOffset until)
    {
        (_host, _size, _from, _until) = (host, size, until.AddDays(-Days), until);
        _tracks = new Track[size.Funnels][];
    }

    /// <summary>A step, and the test that is on it at the moment that is being recorded.</summary>
    private sealed class Track(Step step, IReadOnlyList<Page> pages)
    {
        public Step Step => step;
        public IReadOnlyList<Page> Pages => pages;
        public SplitTest? Test { get; set; }
        public IReadOnlyList<Phase> Phases { get; set; } = [];
    }

    /// <summary>Makes the world in a folder.</summary>
    public static async Task MakeAsync(string folder, AgencySize size)
    {
        var watch = Stopwatch.StartNew();
        await using var host = await StartAsync(folder);
        var world = new AgencyWorld(host, size, DateTimeOffset.UtcNow);
        await world.Get<Passwords>().SetAsync(MemberId.First, Guid.NewGuid().ToString());
        await world.MakeFunnelsAsync();
        await world.RunTestsAsync([0, 1], 0, 20, ends: true);
        await world.RunTestsAsync([1, 2], 20, 40, ends: true);
        await world.RunTestsAsync([2, 3], 40, Days, ends: false);
        Console.WriteLine(
            $"{size.Funnels} funnels, {world._visits:N0} visits, {world._people:N0} people and {world._orders:N0} "
                + $"orders made in {watch.Elapsed.TotalMinutes:0.0} minutes."
        );
    }

    /// <summary>Records visits as they come now, and prints how many a second are appended and projected.</summary>
    public static async Task PrintRecordingAsync(string folder, AgencySize size)
    {
        await using var host = await StartAsync(folder);
        var funnels = host.Services.GetRequiredService<FunnelStore>().All().Count;
        var world = new AgencyWorld(host, size with { Funnels = funnels }, DateTimeOffset.UtcNow);
        world.Find();
        await host.Journal.WhenProjectedAsync();
        var watch = Stopwatch.StartNew();
        world.Record(Measured, world._until.AddHours(-1), world._until);
        await world.RecordedAsync();
        var (appended, left) = (watch.Elapsed, world.Unprojected());
        await host.Journal.WhenProjectedAsync();
        Console.WriteLine(
            $"{world._visits:N0} visits: {world._visits / appended.TotalSeconds:N0} a second appended, {left:N0} left "
                + $"then, {left / (watch.Elapsed - appended).TotalSeconds:N0} a second of them projected, "
                + $"{world._visits / watch.Elapsed.TotalSeconds:N0} a second appended and projected"
        );
    }

    private static Task<WexilHost> StartAsync(string folder) =>
        WexilHost.StartAsync(
            new WexilOptions
            {
                Data = folder,
                Studio = new($"http://localhost:{BenchWorld.FreePort()}"),
                Visitors = new($"http://127.0.0.1:{BenchWorld.FreePort()}"),
                FollowsClock = false,
            }
        );

    private T Get<T>()
        where T : notnull => _host.Services.GetRequiredService<T>();

    private long Unprojected() =>
        _host.Database.Read(connection =>
        {
            using var command = connection.CreateCommand();
            command.CommandText = "SELECT (SELECT max(seq) FROM events) - (SELECT mark FROM projection)";
            return (long)command.ExecuteScalar()!;
        });

    private DateTimeOffset Day(double day) => _from.AddDays(day);

    private async Task MakeFunnelsAsync()
    {
        var funnels = new FunnelStore(_host.Database, _host.Journal, new Moment(_from));
        for (var f = 0; f < _size.Funnels; f++)
        {
            var number = f;
            await funnels.CreateAsync(
                $"Larkrow {f + 1}",
                [
                    .. Kinds.Select(
                        (kind, s) =>
                            new FunnelStep(
                                kind,
                                kind.Words(),
                                $"larkrow-{number + 1}-{kind.Words()}",
                                [.. Enumerable.Range(0, PagesAStep).Select(p => PageOf(number, s, p))]
                            )
                    ),
                ]
            );
        }
        Find();
    }

    private static FunnelPage PageOf(int funnel, int step, int page)
    {
        var text = string.Concat(Enumerable.Repeat("<p>Salad on any balcony, in three weeks.</p>\n", 100));
        var html = $"<!doctype html><title>Larkrow</title><h1>Harvest {funnel}-{step}-{page}</h1>\n{text}";
        return new(
            $"Harvest {funnel + 1}-{step + 1}-{page + 1}",
            new PageBundle([new("index.html", Encoding.UTF8.GetBytes(html))], "index.html"),
            null
        );
    }

    /// <summary>Reads the funnels with the tests that run.</summary>
    private void Find()
    {
        var open = Get<TestStore>().Open().ToDictionary(test => test.Step);
        var funnels = Get<FunnelStore>().All();
        for (var f = 0; f < _size.Funnels; f++)
            _tracks[f] =
            [
                .. Get<FunnelStore>()
                    .Steps(funnels[f].Id)
                    .Select(step =>
                    {
                        var test = open.GetValueOrDefault(step.Id);
                        return new Track(step, Get<PageStore>().ForStep(step.Id))
                        {
                            Test = test,
                            Phases = test is null ? [] : Get<TestStore>().Phases(test.Id),
                        };
                    }),
            ];
    }

    /// <summary>A test on each step but the last of a funnel, and the visits of its time.</summary>
    /// <param name="pages">Which pages of the step; the first is the control.</param>
    private async Task RunTestsAsync(int[] pages, double from, double until, bool ends)
    {
        var tests = new TestStore(_host.Database, _host.Journal, new Moment(Day(from)));
        for (var f = 0; f < _size.Funnels; f++)
        {
            for (var s = 0; s < Kinds.Length - 1; s++)
            {
                var leans = !ends && s == 0 && f < _size.Leaning;
                var track = _tracks[f][s];
                var test = await tests.StartAsync(
                    new(
                        track.Step.Id,
                        _tracks[f][s + 1].Step.Id,
                        $"Harvest {f + 1}-{s + 1}: {pages[0]} or {pages[1]}",
                        "A headline that says how long it takes brings more.",
                        Onward[s],
                        0.1,
                        [.. pages.Select(page => track.Pages[page].Id)],
                        Weights.Even(pages.Length),
                        TestSettings.Default with
                        {
                            Allocation = leans ? Allocation.Adaptive : Allocation.Random,
                        }
                    )
                );
                if (leans)
                    await LeanAsync(test!.Value, from, until);
            }
        }
        Find();
        Record((long)(_size.Visits * (until - from) / Days), Day(from), Day(until));
        await RecordedAsync();
        await _host.Journal.WhenProjectedAsync();
        if (ends)
            await KeepAsync(pages[1], Day(until));
    }

    private async Task LeanAsync(TestId test, double from, double until)
    {
        for (var i = 1; i < _size.Phases; i++)
        {
            var at = Day(from + (until - from) * i / _size.Phases);
            var share = 50 + i % 40;
            await new TestStore(_host.Database, _host.Journal, new Moment(at)).FollowAsync(
                test,
                Weights.Create(share, 100 - share),
                AdaptiveWeights.Who,
                $"{AdaptiveWeights.Reason} {Weights.Create(share, 100 - share)}"
            );
        }
    }

    private async Task KeepAsync(int page, DateTimeOffset at)
    {
        var verdicts = new VerdictStore(_host.Database, _host.Journal, new Moment(at));
        var recorder = new VerdictRecorder(verdicts, Get<TallyStore>(), Get<SettingStore>(), new Moment(at));
        var steps = Get<FunnelStore>().AllSteps();
        foreach (var track in _tracks.SelectMany(funnel => funnel))
            if (track.Test is { } test)
                await recorder.KeepAsync(
                    Get<TestReader>().Read(test, steps),
                    track.Pages[page].Id,
                    VerdictStore.ByHand
                );
    }

    /// <summary>So many visits, spread evenly over a time.</summary>
    private void Record(long visits, DateTimeOffset from, DateTimeOffset until)
    {
        var (first, last) = (_visits, _visits + visits);
        while (_visits < last)
            Come(from + (until - from) * ((_visits - first) / (double)visits));
    }

    private async Task RecordedAsync()
    {
        await Task.WhenAll(_recording);
        _recording.Clear();
    }

    /// <summary>A visitor goes through a funnel, step by step, as far as chance leads.</summary>
    private void Come(DateTimeOffset at)
    {
        var funnel = _tracks[_random.Next(_tracks.Length)];
        var visitor = VisitorId.New(at, _chance);
        var note = new VisitNote(
            (Device)(_visitors % 3),
            _visitors % 4 == 0 ? "GB" : "US",
            "en",
            _visitors % 9 == 0,
            null,
            $"ads-{_random.Next(12)}"
        ).ToString();
        _visitors++;
        for (var s = 0; s < funnel.Length; s++)
        {
            var page = Visit(funnel[s], visitor, at, note);
            if (s < Onward.Length && _random.NextDouble() >= Onward[s] * (page == funnel[s].Test?.Pages[^1] ? 1.05 : 1))
                break;
            // As many as are wanted, spread over the whole time.
            if (s == 0 && _people < _visits * (double)_size.People / _size.Visits)
                OptIn(funnel[s].Step.Id, page, visitor, at);
            if (Kinds[s] == StepKind.Checkout && _orders < _visits * (double)_size.Orders / _size.Visits)
                Buy(visitor, at);
            at = at.AddSeconds(30 + _random.Next(200));
        }
        // The queue is bounded: it is waited for, and not filled without end.
        if (_recording.Count >= BatchSize)
            RecordedAsync().GetAwaiter().GetResult();
    }

    private PageId Visit(Track track, VisitorId visitor, DateTimeOffset at, string note)
    {
        _visits++;
        if (track.Test is not { } test)
        {
            Append(new(Guid.CreateVersion7(at), at, EventKind.Visit, visitor, track.Step.Id, track.Pages[0].Id));
            return track.Pages[0].Id;
        }
        var phase = track.Phases[^1];
        if (track.Phases.Count > 1)
            phase = track.Phases.Last(known => known.StartedAt <= at || known == track.Phases[0]);
        var page = test.Pages[_random.Next(100) < phase.Weights[0] ? 0 : 1];
        Append(
            new(Guid.CreateVersion7(at), at, EventKind.Enrol, visitor, track.Step.Id, page, test.Id, phase.Id, note)
        );
        return page;
    }

    private void OptIn(StepId step, PageId page, VisitorId visitor, DateTimeOffset at) =>
        Append(
            new(
                Guid.CreateVersion7(at),
                at,
                EventKind.OptIn,
                visitor,
                step,
                page,
                Data: $"reader.{++_people}.{_until.ToUnixTimeSeconds()}@balcony.example"
            )
        );

    private void Buy(VisitorId visitor, DateTimeOffset at)
    {
        var order = $"L-{_until.ToUnixTimeSeconds()}-{++_orders}";
        var notice = new SaleNotice(SaleKind.Sale, order, "1", 4900, "USD", $"Kit {_orders % 40}");
        _recording.Add(Get<SaleStore>().RecordAsync(notice, visitor, null, at));
    }

    private void Append(JournalEvent happened) => _recording.Add(_host.Journal.AppendAsync(happened));

    /// <summary>A clock that stands.</summary>
    private sealed class Moment(DateTimeOffset moment) : TimeProvider
    {
        public override DateTimeOffset GetUtcNow() => moment;
    }
}
