using CsCheck;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Tests.SplitTests;
using Wexil.Core.Visitors;

namespace Wexil.Core.Tests.Assignments;

public sealed class HashBucketTests
{
    private static readonly DateTimeOffset Now = new(2026, 11, 9, 8, 0, 0, TimeSpan.Zero);
    private static readonly Gen<VisitorId> AnyVisitor = Gen.Int.Select(seed =>
        VisitorId.New(Now, new SeededChance(seed))
    );

    [Fact]
    public void Shares_come_out_as_the_weights_say()
    {
        var weights = Weights.Create(50, 30, 20, 0);
        var chance = new SeededChance(7);
        var drawn = new long[4];
        for (var i = 0; i < 100_000; i++)
            drawn[weights.PageAt(HashBucket.Unit(VisitorId.New(Now, chance), new TestId(3)))]++;
        var phase = drawn.Select((n, i) => (n, (double)weights[i])).ToArray();
        Assert.True(SampleRatioMismatch.Compute([phase]).P > 0.001, string.Join(' ', drawn));
        Assert.Equal(0, drawn[3]);
    }

    [Fact]
    public void Draws_of_two_tests_are_independent()
    {
        var chance = new SeededChance(8);
        var both = new long[4];
        for (var i = 0; i < 40_000; i++)
        {
            var visitor = VisitorId.New(Now, chance);
            both[(HashBucket.Unit(visitor, new(1)) < 0.5 ? 0 : 2) + (HashBucket.Unit(visitor, new(2)) < 0.5 ? 0 : 1)]++;
        }
        Assert.True(
            SampleRatioMismatch.Compute([both.Select(n => (n, 1.0)).ToArray()]).P > 0.001,
            string.Join(' ', both)
        );
    }

    [Fact]
    public void A_visitor_with_a_place_keeps_it_whatever_the_weights() =>
        Gen.Select(AnyVisitor, WeightsTests.AnyWeights, Gen.Int[0, 9])
            .AlwaysHolds(
                (visitor, weights, seat) =>
                {
                    var step = Step(weights);
                    var own = step.Test!.Pages[seat % weights.Count];
                    return Take(step, visitor, new Enrolment(own.Id, step.Test.Phase))
                            is { Kind: AssignmentKind.Plain } turn
                        && turn.Page == own;
                }
            );

    [Fact]
    public void Someone_new_is_enrolled_on_the_page_that_the_same_draw_gives_again() =>
        Gen.Select(AnyVisitor, WeightsTests.AnyWeights)
            .AlwaysHolds(
                (visitor, weights) =>
                    Take(Step(weights), visitor, null) is { Kind: AssignmentKind.Enrols } turn
                    && Take(Step(weights), visitor, null) == turn
            );

    [Fact]
    public void Once_a_page_is_kept_everybody_sees_it()
    {
        var running = Step(Weights.Create(50, 50));
        var kept = running with { Page = running.Test!.Pages[1], Test = running.Test with { Phase = null } };
        var turn = Take(
            kept,
            VisitorId.New(Now, new SeededChance(1)),
            new Enrolment(running.Test.Pages[0].Id, new PhaseId(1))
        );
        Assert.Equal(new Assignment(kept.Page, AssignmentKind.Apart, AssignmentReason.NotRunning), turn);
    }

    private static Assignment? Take(RouteStep step, VisitorId visitor, Enrolment? place) =>
        Assignment.Decide(step, new(visitor, Now, Traits.Unknown), place, (test, _) =>
            new Rotation(test.Weights, 0).Next(new long[test.Weights.Count])
        );

    private static RouteStep Step(Weights weights)
    {
        var pages = Enumerable
            .Range(1, weights.Count)
            .Select(i => new RoutePage(new(i), new(1), $"p{i}", 1, null))
            .ToArray();
        return new(new(1), "calendar", pages[0], new RouteTest(new(1), new(1), pages, weights, 0), null);
    }
}
