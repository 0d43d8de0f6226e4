using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Targeting;
using Wexil.Core.Visitors;

namespace Wexil.Core.Tests.Assignments;

/// <summary>Who is shown what, rule by rule in the order in which they are asked.</summary>
public sealed class AssignmentOrderTests
{
    private static readonly DateTimeOffset Now = new(2026, 11, 9, 8, 0, 0, TimeSpan.Zero);
    private static readonly RoutePage[] Pages = [.. Enumerable.Range(1, 3).Select(Page)];
    private static readonly RoutePage Tied = Page(9),
        Others = Page(8);
    private static readonly Visit[] Crowd =
    [
        .. Enumerable
            .Range(0, 3000)
            .Select(seed => new Visit(VisitorId.New(Now, new SeededChance(seed)), Now, Traits.Unknown)),
    ];

    [Fact]
    public void A_source_that_is_tied_to_a_page_leads_there_whether_or_not_a_test_runs()
    {
        var visit = From("letter");
        Assert.Equal((9, AssignmentReason.Tied, null), Shown(Step(null), visit));
        Assert.Equal((9, AssignmentReason.Tied, ExclusionReason.Tied), Shown(Step(Test()), visit));
        Assert.Equal((1, AssignmentReason.Shown, null), Shown(Step(null), Crowd[0]));
        Assert.Equal((1, AssignmentReason.Shown, null), Shown(Step(null), From("post")));
        // A tied page that is down gives way to the control, and a control that is down to the first page that answers.
        Assert.Equal(
            (1, AssignmentReason.Tied, ExclusionReason.Tied),
            Shown(Step(Test() with { Resting = Set(9) }), visit)
        );
        Assert.Equal(
            (2, AssignmentReason.Tied, ExclusionReason.Tied),
            Shown(Step(Test() with { Resting = Set(1, 9) }), visit)
        );
        Assert.Equal(
            (1, AssignmentReason.Tied, ExclusionReason.Tied),
            Shown(Step(Test() with { Resting = Set(1, 2, 3, 9) }), visit)
        );
    }

    [Fact]
    public void Whoever_does_not_take_part_sees_the_page_for_others_or_the_control()
    {
        var phones = Test() with { Audience = Audience.Everyone with { Devices = [Device.Phone] } };
        Assert.Equal((1, AssignmentReason.Audience, ExclusionReason.Audience), Shown(Step(phones), Crowd[0]));
        Assert.Equal(
            (8, AssignmentReason.Audience, ExclusionReason.Audience),
            Shown(Step(phones with { Others = Others }), Crowd[0])
        );
        Assert.Equal(
            (2, AssignmentReason.Audience, ExclusionReason.Audience),
            Shown(Step(phones with { Resting = Set(1) }), Crowd[0])
        );
        // Whoever was shown the page for others, or a tied one, goes on seeing it.
        Assert.Equal((8, AssignmentReason.Place, null), Shown(Step(phones with { Others = Others }), Crowd[0], 8));
        Assert.Equal((9, AssignmentReason.Place, null), Shown(Step(phones), Crowd[0], 9));
        Assert.Equal((1, AssignmentReason.Audience, ExclusionReason.Audience), Shown(Step(phones), Crowd[0], 77));
    }

    [Theory]
    [InlineData(1)]
    [InlineData(50)]
    [InlineData(99)]
    [InlineData(100)]
    public void The_share_lets_in_exactly_whose_number_lies_below_it(int share)
    {
        var test = Test() with { Share = share };
        foreach (var visit in Crowd)
        {
            var takesPart = HashBucket.ShareUnit(visit.Visitor, test.Id) * 100 < share;
            Assert.Equal(takesPart ? AssignmentReason.Drawn : AssignmentReason.Share, Shown(Step(test), visit).Reason);
        }
    }

    [Fact]
    public void Affiliates_are_drawn_from_the_pages_open_to_them_by_their_weights()
    {
        var sent = Crowd.Select(visit => visit with { Traits = visit.Traits with { IsAffiliate = true } }).ToArray();
        Assert.All(sent, visit => Assert.Equal(AssignmentReason.Drawn, Shown(Step(Test()), visit).Reason));
        var closed = Test(20, 60, 20) with { ClosedToAffiliates = Set(2) };
        var shown = sent.Select(visit => Shown(Step(closed), visit)).ToArray();
        Assert.All(shown, one => Assert.Equal(ExclusionReason.Affiliate, one.Excluded));
        Assert.Equal(0.5, shown.Count(one => one.Page == 1) / (double)sent.Length, 0.03);
        Assert.Equal(0.5, shown.Count(one => one.Page == 3) / (double)sent.Length, 0.03);
        Assert.All(Crowd, visit => Assert.Null(Shown(Step(closed), visit).Excluded));
        // A page of weight 0 gets nobody; where no open page has any, the control does.
        Assert.All(sent, visit =>
            Assert.Equal(3, Shown(Step(Test(0, 60, 40) with { ClosedToAffiliates = Set(2) }), visit).Page)
        );
        Assert.All(sent.Take(50), visit =>
            Assert.Equal(1, Shown(Step(Test(0, 100, 0) with { ClosedToAffiliates = Set(2) }), visit).Page)
        );
    }

    [Fact]
    public void The_same_visitor_falls_on_the_same_number_for_good()
    {
        // What was drawn once is drawn again where no place is kept, so these never change.
        var visitor = new VisitorId(Guid.Parse("019a6700-0000-7000-8000-00000000002a"));
        Assert.Equal(HashBucket.Unit(visitor, new(1)), HashBucket.Unit(visitor, new(1)));
        Assert.NotEqual(HashBucket.Unit(visitor, new(1)), HashBucket.Unit(visitor, new(2)));
        Assert.NotEqual(HashBucket.Unit(visitor, new(1)), HashBucket.ShareUnit(visitor, new(1)));
        Assert.Equal(
            (0.1557983019448017, 0.7966639359749411, Shared),
            (HashBucket.Unit(visitor, new(1)), HashBucket.Unit(visitor, new(2)), HashBucket.ShareUnit(visitor, new(1)))
        );
        var units = Crowd.Select(visit => HashBucket.Unit(visit.Visitor, new(3))).ToArray();
        Assert.All(units, unit => Assert.InRange(unit, 0, 0.9999999999999999));
        Assert.Equal(0.5, units.Average(), 0.02);
        Assert.Equal(1 / 12.0, units.Average(unit => (unit - 0.5) * (unit - 0.5)), 0.005);
    }

    private const double Shared = 0.79907539263165261;

    private static (long Page, AssignmentReason Reason, ExclusionReason? Excluded) Shown(
        RouteStep step,
        Visit visit,
        long? place = null
    )
    {
        var own = place is { } page ? new Enrolment(new(page), new PhaseId(1)) : (Enrolment?)null;
        var shown = Assignment.Decide(step, visit, own, (_, _) => throw new InvalidOperationException())!.Value;
        return (shown.Page.Id.Value, shown.Reason, shown.Exclusion);
    }

    private static Visit From(string source) => Crowd[0] with { Traits = Crowd[0].Traits with { Source = source } };

    private static HashSet<PageId> Set(params long[] pages) => [.. pages.Select(page => new PageId(page))];

    private static RoutePage Page(int id) => new(new(id), new(1), $"p{id}", 1, null);

    private static RouteTest Test(params int[] weights) =>
        new(new(1), new PhaseId(1), Pages, Weights.Create(weights.Length == 0 ? [40, 40, 20] : weights), 0);

    private static RouteStep Step(RouteTest? test) =>
        new(new(1), "calendar", Pages[0], test, null)
        {
            Tied = new Dictionary<string, RoutePage> { ["letter"] = Tied },
        };
}
