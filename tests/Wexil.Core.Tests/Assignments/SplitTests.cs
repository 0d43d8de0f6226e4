using CsCheck;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;

namespace Wexil.Core.Tests.Assignments;

public sealed class SplitTests
{
    private static readonly DateTimeOffset Now = new(2026, 11, 9, 8, 0, 0, TimeSpan.Zero);
    private static readonly Gen<VisitorId> AnyVisitor = Gen.Int.Select(seed =>
        VisitorId.New(Now, new SeededChance(seed))
    );

    /// <summary>Two to ten weights that add up to 100, zeros among them.</summary>
    internal static readonly Gen<Weights> AnyWeights = Gen.Int[0, 100]
        .Array[1, 9]
        .Select(cuts =>
        {
            int[] edges = [0, .. cuts.Order(), 100];
            return Weights.Create([.. edges.Zip(edges.Skip(1), (from, to) => to - from)]);
        });

    [Fact]
    public void Weights_that_do_not_add_up_say_by_how_much()
    {
        Assert.Equal("The weights add up to 90: 10 more to give out.", Weights.Check([50, 40]).Problem);
        Assert.Equal("The weights add up to 105: 5 too many.", Weights.Check([50, 55]).Problem);
        Assert.NotNull(Weights.Check([100]).Problem);
        Assert.NotNull(Weights.Check([-10, 110]).Problem);
        Assert.Equal("34/33/33", Weights.Even(3).ToString());
    }

    [Fact]
    public void Weights_survive_being_stored() =>
        AnyWeights.AlwaysHolds(weights => Weights.Parse(weights.ToString()).Equals(weights));

    [Fact]
    public void A_page_that_rests_is_never_drawn() =>
        Gen.Select(AnyWeights, Gen.Double[0, 0.9999999999])
            .AlwaysHolds((weights, unit) => weights[weights.PageAt(unit)] > 0);

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
        Gen.Select(AnyVisitor, AnyWeights, Gen.Int[0, 9])
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
        Gen.Select(AnyVisitor, AnyWeights)
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

    [Fact]
    public void A_visitor_id_survives_a_cookie_and_nothing_else_passes_for_one()
    {
        AnyVisitor.AlwaysHolds(visitor => VisitorId.TryParse(visitor.ToString(), out var read) && read == visitor);
        Gen.String.AlwaysHolds(text => VisitorId.TryParse(text, out _) is false || text.Length == VisitorId.TextLength);
    }

    [Fact]
    public void A_token_is_good_for_ten_minutes_and_only_as_it_was_signed()
    {
        using var tokens = new VisitorToken(new byte[32]);
        var visitor = VisitorId.New(Now, new SeededChance(2));
        var token = tokens.Issue(visitor, Now);
        Assert.Equal(visitor, tokens.Read(token, Now.AddMinutes(9)));
        Assert.Null(tokens.Read(token, Now.AddMinutes(11)));
        using var others = new VisitorToken([.. Enumerable.Repeat((byte)1, 32)]);
        Assert.Null(others.Read(token, Now));
        for (var i = 0; i < token.Length; i++)
        {
            var forged = token[..i] + (token[i] == 'A' ? 'B' : 'A') + token[(i + 1)..];
            if (forged != token)
                Assert.True(tokens.Read(forged, Now) is null || i == token.Length - 1, $"changed at {i}");
        }
        Gen.String.AlwaysHolds(text => tokens.Read(text, Now) is null);
    }

    [Theory]
    [InlineData(
        "https://a.example/kit?own=1#order",
        "?s=letter&wx=stale&q=a%20b&q=c",
        "https://a.example/kit?own=1&s=letter&q=a%20b&q=c&wx=T#order"
    )]
    [InlineData("https://a.example/kit", "", "https://a.example/kit?wx=T")]
    [InlineData(
        "https://a.example/kit?a=1",
        "?a=2&%77x=stale&wx%5Ftry=1&a=3&%C3%BC=%20",
        "https://a.example/kit?a=1&a=2&a=3&%C3%BC=%20&wx=T"
    )]
    [InlineData("https://a.example/", "?wx_page=9&&wx_test=1", "https://a.example/?wx=T")]
    public void Parameters_travel_on_after_the_pages_own(string page, string query, string expected) =>
        Assert.Equal(expected, new OutsideAddress(new Uri(page)).With(query, ("wx", "T")));

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
