using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Tests;

/// <summary>
/// What the Count screen says by segment, by path and by time is what counting the events one by one says, however the
/// events are cut into batches and in whichever order visitors' ids come.
/// </summary>
public sealed class ExactnessTests
{
    private static readonly SegmentKind[] Kinds = Enum.GetValues<SegmentKind>();

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    [InlineData(4)]
    [InlineData(5)]
    public async Task Figures_by_segment_path_and_time_are_those_of_a_recount(int seed)
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var funnel = world.Funnels.All().Single().Id;
        var sales = (await world.Funnels.AddStepAsync(funnel, StepKind.Sales, "Kit", "kit"))!;
        var walk = new RandomWalk(world, test, sales.Id, seed);
        await walk.RunAsync();
        AssertFigures(world, test, walk.Events);
        // A week by days is the week by quarters of an hour.
        Assert.Equal(
            world.Database.Read(c =>
                c.Number("SELECT sum(visitors) FROM step_buckets WHERE step_id = $1", test.Step.Value)
            ),
            (long)Math.Round(world.Tallies.Traffic()[test.Step].PerDay * 7)
        );

        var before = world.Tables();
        await world.Journal.RecountAsync();
        await world.Journal.WhenProjectedAsync();
        Assert.Equal(before, world.Tables());
        AssertFigures(world, test, walk.Events);
    }

    private static void AssertFigures(World world, SplitTest test, IReadOnlyList<JournalEvent> events)
    {
        var places = new Dictionary<VisitorId, JournalEvent>();
        var converted = new HashSet<VisitorId>();
        var reached = new HashSet<(VisitorId, StepId)>();
        foreach (var happened in events)
        {
            if (happened.Test == test.Id)
                places.TryAdd(happened.Visitor, happened);
            else if (happened.Kind == EventKind.Visit && places.ContainsKey(happened.Visitor))
            {
                reached.Add((happened.Visitor, happened.Step));
                if (happened.Step == test.Goal)
                    converted.Add(happened.Visitor);
            }
        }
        Arm Sum(IEnumerable<JournalEvent> group) =>
            new(group.Count(), group.Count(place => converted.Contains(place.Visitor)));

        foreach (var kind in Kinds.Where(kind => kind != SegmentKind.Source))
            Assert.Equal(
                places
                    .Values.GroupBy(place => (ValueOf(place, kind), place.Phase!.Value, place.Page))
                    .ToDictionary(group => group.Key, Sum),
                world
                    .Tallies.Segments(test.Id, kind)
                    .ToDictionary(tally => (tally.Value, tally.Phase, tally.Page), tally => tally.Arm)
            );
        Assert.Equal(
            reached
                .GroupBy(step => (places[step.Item1].Page, step.Item2))
                .ToDictionary(group => group.Key, group => (long)group.Count()),
            world.Tallies.Path(test.Id).ToDictionary()
        );
        Assert.Equal(
            places.Values.GroupBy(place => (place.Page, Quarter(place.At))).ToDictionary(group => group.Key, Sum),
            world.Tallies.PageBuckets(test.Id).ToDictionary(bucket => (bucket.Page, bucket.From), bucket => bucket.Arm)
        );
    }

    private static long ValueOf(JournalEvent place, SegmentKind kind)
    {
        var note = VisitNote.Parse(place.Data);
        return VisitorTraits.From(note, 0, place.At.DayOfWeek).ValueOf(kind);
    }

    private static DateTimeOffset Quarter(DateTimeOffset at) =>
        new(at.Ticks - at.Ticks % TimeSpan.FromMinutes(15).Ticks, TimeSpan.Zero);

    /// <summary>Visitors who come, come again, go on and go back, over some days.</summary>
    private sealed class RandomWalk(World world, SplitTest test, StepId later, int seed)
    {
        private const int Steps = 600;
        private readonly Random _random = new(seed);
        private readonly List<JournalEvent> _visitors = [];

        public List<JournalEvent> Events { get; } = [];

        public async Task RunAsync()
        {
            for (var i = 0; i < Steps; i++)
            {
                world.Time.Advance(TimeSpan.FromMinutes(_random.Next(15)));
                if (_random.Next(100) == 0)
                    await world.Tests.ChangeWeightsAsync(test.Id, Weights.Create(50 + i % 2, 50 - i % 2));
                var happened = Next();
                Events.Add(happened);
                await world.Journal.AppendAsync(happened);
                if (_random.Next(20) == 0)
                    await world.Journal.WhenProjectedAsync();
            }
            await world.Journal.WhenProjectedAsync();
        }

        private JournalEvent Next()
        {
            if (_visitors.Count == 0 || _random.Next(3) == 0)
                return Come();
            var visitor = _visitors[_random.Next(_visitors.Count)];
            return _random.Next(4) switch
            {
                // Once more, by a link that would have shown the other page.
                0 => visitor with
                {
                    Id = Guid.CreateVersion7(),
                    At = world.Time.GetUtcNow(),
                    Page = test.Pages[_random.Next(2)],
                },
                1 => Visits(visitor.Visitor, later),
                _ => Visits(visitor.Visitor, test.Goal),
            };
        }

        private JournalEvent Come()
        {
            var note = new VisitNote(
                (Device)_random.Next(3),
                _random.Next(2) == 0 ? "GB" : "",
                "en",
                _random.Next(5) == 0,
                null,
                _random.Next(2) == 0 ? "letter" : ""
            );
            // Some ids were drawn long before their visitor came, so that older ones follow newer ones.
            var drawn = world.Time.GetUtcNow().AddMinutes(-_random.Next(120));
            var comes = world.Enrols(test, _random.Next(2)) with
            {
                Visitor = VisitorId.New(drawn, world.Chance),
                Data = note.ToString(),
            };
            _visitors.Add(comes);
            return comes;
        }

        private JournalEvent Visits(VisitorId visitor, StepId step) =>
            new(Guid.CreateVersion7(), world.Time.GetUtcNow(), EventKind.Visit, visitor, step, new(3));
    }
}
