using CsCheck;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Tests;

/// <summary>
/// The life of a test as a state machine: whatever is done to it, in whatever order, against a model of a few lines.
/// </summary>
public sealed class TestLifeTests
{
    private enum Act
    {
        Wait,
        Visit,
        ComeBack,
        Convert,
        ConvertElsewhere,
        Pause,
        GoOn,
        ChangeWeights,
        ChangeEnd,
        ChangeStart,
        ChangeAudience,
        AddPage,
        Rest,
        Answer,
        Keep,
        TakeBack,
    }

    private static readonly Gen<(Act Act, int Size)[]> Lives = Gen.Select(
        Gen.Frequency(
            (6, Gen.Const(Act.Wait)),
            (6, Gen.Const(Act.Visit)),
            (3, Gen.Const(Act.ComeBack)),
            (3, Gen.Const(Act.Convert)),
            (8, Gen.Int[(int)Act.ConvertElsewhere, (int)Act.TakeBack].Select(act => (Act)act))
        ),
        Gen.Int[0, 1000]
    ).Array[10, 60];

    [Fact]
    public async Task Phases_tile_the_time_that_a_test_runs_and_credit_each_visitor_once_whatever_is_done() =>
        await Gen.Select(Lives, Gen.Int[-1, 3], Gen.Int[-1, 6])
            .AlwaysHoldsAsync(
                async (life, hoursToStart, hoursToEnd) =>
                {
                    using var world = new World();
                    var plan = new Model(world, await world.PlanTestAsync(), hoursToStart, hoursToEnd);
                    await plan.StartAsync();
                    foreach (var (act, size) in life)
                    {
                        await plan.DoAsync(act, size);
                        plan.Holds(act);
                    }
                    await plan.IsCountedAsync();
                },
                iter: 40
            );

    /// <summary>What a person would say of the test: when it ran, who is where, and who converted.</summary>
    private sealed class Model(World world, TestPlan plan, int hoursToStart, int hoursToEnd)
    {
        private readonly List<(long From, long Until)> _ran = [];
        private readonly Dictionary<VisitorId, (PageId Page, PhaseId Phase)> _enrolled = [];
        private readonly HashSet<VisitorId> _closed = [];
        private readonly HashSet<VisitorId> _converted = [];
        private readonly List<VisitorId> _known = [];
        private DateTimeOffset _from =
            hoursToStart < 0 ? world.Time.GetUtcNow() : world.Time.GetUtcNow().AddHours(hoursToStart);
        private DateTimeOffset? _until;
        private bool _isPaused,
            _isDecided;
        private TestId _test;
        private int _visitors;

        private DateTimeOffset Now => world.Time.GetUtcNow();

        private bool RunsNow => !_isPaused && !_isDecided && _from <= Now && Now < (_until ?? DateTimeOffset.MaxValue);

        private SplitTest Test => world.Tests.Find(_test)!;

        public async Task StartAsync()
        {
            _until = hoursToEnd < 0 ? null : _from.AddHours(hoursToEnd + 1);
            _test = (
                await world.Tests.StartAsync(
                    plan with
                    {
                        From = hoursToStart < 0 ? null : _from,
                        Settings = TestSettings.Default with { Until = _until },
                    }
                )
            )!.Value;
        }

        public async Task DoAsync(Act act, int size)
        {
            // What comes first and what second within a millisecond, the stored times cannot tell.
            Wait(TimeSpan.FromMilliseconds(1));
            var test = Test;
            switch (act)
            {
                case Act.Wait:
                    Wait(TimeSpan.FromMinutes(1 + size % 150));
                    break;
                case Act.Visit:
                    await VisitAsync(VisitorId.New(Now, new SeededChance(1000 + _visitors++)));
                    break;
                case Act.ComeBack when _known.Count > 0:
                    await VisitAsync(_known[size % _known.Count]);
                    break;
                case Act.Convert when _known.Count > 0:
                    await ConvertAsync(_known[size % _known.Count]);
                    break;
                case Act.ConvertElsewhere:
                    await ConvertAsync(VisitorId.New(Now, new SeededChance(500_000 + _visitors++)));
                    break;
                case Act.Pause or Act.GoOn when !_isDecided:
                    Assert.Equal(
                        _isPaused != (act == Act.Pause),
                        await world.Tests.PauseAsync(_test, act == Act.Pause)
                    );
                    _isPaused = act == Act.Pause;
                    break;
                case Act.ChangeWeights when !_isDecided:
                    await world.Tests.ChangeAsync(test, Shared(test.Pages.Count, size), [], test.Settings, null, []);
                    break;
                case Act.ChangeEnd when !_isDecided:
                    _until = size % 4 == 0 ? null : Now.AddMinutes(1 + size % 400);
                    await world.Tests.ChangeAsync(
                        test,
                        test.Weights,
                        [],
                        test.Settings with
                        {
                            Until = _until,
                        },
                        null,
                        [("Ends otherwise", false)]
                    );
                    break;
                case Act.ChangeStart when !_isDecided && Now < _from:
                    _from = Now.AddMinutes(size % 200);
                    await world.Tests.ChangeAsync(
                        test,
                        test.Weights,
                        [],
                        test.Settings,
                        _from,
                        [("Starts otherwise", false)]
                    );
                    break;
                case Act.ChangeAudience when !_isDecided:
                    await world.Tests.ChangeAsync(
                        test,
                        test.Weights,
                        [],
                        test.Settings with
                        {
                            Share = 1 + size % 100,
                        },
                        null,
                        [("Another share takes part", true)]
                    );
                    break;
                case Act.AddPage when !_isDecided && test.Pages.Count < 4:
                    var page = await world.Pages.CloneAsync(
                        world.Pages.Find(test.Pages[0])!,
                        $"Page {test.Pages.Count}"
                    );
                    await world.Tests.ChangeAsync(
                        test,
                        Shared(test.Pages.Count + 1, size),
                        [page],
                        test.Settings,
                        null,
                        []
                    );
                    break;
                case Act.Rest or Act.Answer:
                    await world.Tests.RestAsync(_test, test.Pages[size % test.Pages.Count], act == Act.Rest, "A page");
                    break;
                case Act.Keep:
                    Assert.Equal(
                        _isDecided ? 0 : 1,
                        await world.Verdicts.KeepAsync(
                            [new(_test, test.Pages[size % test.Pages.Count], "Kept.", "{}")],
                            VerdictStore.ByHand
                        )
                    );
                    _isDecided = true;
                    break;
                case Act.TakeBack:
                    Assert.Equal(_isDecided, await world.Verdicts.TakeBackAsync(_test));
                    if (!_isDecided)
                        break;
                    (_isDecided, _isPaused) = (false, false);
                    if (_until <= Now)
                        _until = null;
                    break;
            }
        }

        /// <summary>What is stored says of this moment, and of all before it, what the model says.</summary>
        public void Holds(Act after)
        {
            var phases = world.Tests.Phases(_test);
            var now = Now.ToUnixTimeMilliseconds();
            var route = world.Routes.Load().Steps.Single(step => step.Id == plan.Step).Test!;
            Assert.Equal(RunsNow, route.RunsAt(Now));
            Assert.Equal(RunsNow, Test.StateAt(Now) == TestState.Running);
            var underWay = phases
                .Where(phase => phase.StartedAt <= Now && (phase.EndedAt is not { } end || Now < end))
                .ToArray();
            if (RunsNow)
                Assert.Equal(route.Phase, Assert.Single(underWay).Id);
            else
                Assert.Empty(underWay);
            Assert.All(phases.Zip(phases.Skip(1)), pair =>
                Assert.True(
                    pair.First.EndedAt <= pair.Second.StartedAt,
                    $"After {after}, one phase goes on into the next."
                )
            );
            Assert.All(phases, phase =>
                Assert.True(
                    phase.EndedAt is not { } end || phase.StartedAt <= end,
                    $"After {after}, a phase ends before it starts."
                )
            );
            Assert.Equal(
                Joined(_ran),
                Joined(
                    phases.Select(phase =>
                        (
                            phase.StartedAt.ToUnixTimeMilliseconds(),
                            Math.Min(now, phase.EndedAt?.ToUnixTimeMilliseconds() ?? now)
                        )
                    )
                )
            );
        }

        /// <summary>
        /// Each visitor counts once, in the phase and on the page of the enrolment, and counting again gives the same.
        /// </summary>
        public async Task IsCountedAsync()
        {
            await world.Journal.WhenProjectedAsync();
            var (test, phases) = (Test, world.Tests.Phases(_test));
            var counted = world.Tallies.Phases(test, phases);
            for (var i = 0; i < phases.Count; i++)
            {
                var expected = test.Pages.Select(page =>
                {
                    var here = _enrolled
                        .Where(one => one.Value == (page, phases[i].Id))
                        .Select(one => one.Key)
                        .ToArray();
                    return new Arm(here.Length, here.Count(_converted.Contains));
                });
                Assert.Equal(expected, counted[i].Arms);
            }
            Assert.Equal(_enrolled.Count, counted.Sum(phase => phase.Arms.Sum(arm => arm.Visitors)));
            var once = world.Tables();
            await world.Journal.RecountAsync();
            await world.Journal.WhenProjectedAsync();
            Assert.Equal(once, world.Tables());
        }

        private void Wait(TimeSpan time)
        {
            var (from, until) = (Now, Now + time);
            if (!_isPaused && !_isDecided)
            {
                var (first, last) = (from > _from ? from : _from, _until is { } end && end < until ? end : until);
                if (first < last)
                    _ran.Add((first.ToUnixTimeMilliseconds(), last.ToUnixTimeMilliseconds()));
            }
            world.Time.Advance(time);
        }

        private async Task VisitAsync(VisitorId visitor)
        {
            var step = world.Routes.Load().Steps.Single(step => step.Id == plan.Step);
            // As the visitors' side asks: a place counts while the test has a phase.
            var place = step.Test is { Phase: not null } ? world.Database.PlaceOf(visitor, _test) : null;
            if (Assignment.Decide(step, new(visitor, Now, Traits.Unknown), place, (_, _) => 0) is not { } turn)
                return;
            var kind = turn.Kind switch
            {
                AssignmentKind.Enrols => EventKind.Enrol,
                AssignmentKind.Apart => EventKind.Apart,
                _ => EventKind.Visit,
            };
            await world.Journal.AppendAsync(
                new(
                    Guid.CreateVersion7(),
                    Now,
                    kind,
                    visitor,
                    plan.Step,
                    turn.Page.Id,
                    kind == EventKind.Visit ? null : _test,
                    kind == EventKind.Enrol ? step.Test!.Phase : null,
                    VisitNote.From(Traits.Unknown, turn.Exclusion).ToString()
                )
            );
            await world.Journal.WhenProjectedAsync();
            if (!_known.Contains(visitor))
                _known.Add(visitor);
            Assert.Equal(turn.Kind == AssignmentKind.Enrols, RunsNow && place is null && turn.Exclusion is null);
            if (turn.Kind == AssignmentKind.Enrols)
                Assert.True(_enrolled.TryAdd(visitor, (turn.Page.Id, step.Test!.Phase!.Value)));
            // Whoever is shown another page while the test does not run is credited no more.
            if (
                turn.Kind == AssignmentKind.Apart
                && _enrolled.TryGetValue(visitor, out var own)
                && own.Page != turn.Page.Id
            )
                _closed.Add(visitor);
        }

        private async Task ConvertAsync(VisitorId visitor)
        {
            await world.Journal.AppendAsync(world.Reaches(Test, visitor));
            if (RunsNow && _enrolled.ContainsKey(visitor) && !_closed.Contains(visitor))
                _converted.Add(visitor);
        }

        private static Weights Shared(int pages, int size)
        {
            int[] percent = [.. Enumerable.Range(0, pages).Select(page => page == 0 ? 0 : size * page % (100 / pages))];
            percent[0] = 100 - percent.Sum();
            return Weights.Create(percent);
        }

        private static IReadOnlyList<(long From, long Until)> Joined(IEnumerable<(long From, long Until)> stretches)
        {
            var joined = new List<(long From, long Until)>();
            foreach (var stretch in stretches.Where(stretch => stretch.From < stretch.Until).Order())
            {
                if (joined.Count > 0 && joined[^1].Until == stretch.From)
                    joined[^1] = (joined[^1].From, stretch.Until);
                else
                    joined.Add(stretch);
            }
            return joined;
        }
    }
}
