using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Goals;
using Wexil.Core.SplitTests;

namespace Wexil.Core.Tests.Assignments;

/// <summary>What the visitors' side looks up, and how one funnel of it is renewed.</summary>
public sealed class RouteTableTests
{
    [Fact]
    public void A_renewed_funnel_takes_the_place_of_what_it_had_and_leaves_the_others()
    {
        var before = Table([Step(1, funnel: 1), Step(2, funnel: 2)], [Page(1, 1), Page(2, 2)], [Goal(1), Goal(2)]);
        var renewed = Table([Step(3, funnel: 1)], [Page(3, 3)], [Goal(1, "renewed")]);
        var after = before.With(new(1), renewed);
        Assert.Equal([2, 3], after.Steps.Select(step => step.Id.Value).Order());
        Assert.Equal([2, 3], after.Pages.Select(page => page.Id.Value).Order());
        Assert.Equal(["goal-2", "renewed"], after.Goals.Select(goal => goal.Key).Order());
        Assert.NotNull(after.Goal("renewed"));
        Assert.Null(after.Goal("goal-1"));
        Assert.Equal("partner", after.AffiliateParameter);
        Assert.True(after.HeedsPrivacyControl);
        Assert.Equal("custom", after.PassThrough);
    }

    [Fact]
    public void Of_pages_at_one_address_the_one_made_first_is_reached_after_a_renewal_too()
    {
        var address = new OutsideAddress(new("https://larkrow.example/kit"));
        var before = Table(
            [Step(1, funnel: 1), Step(2, funnel: 2)],
            [Page(4, 1) with { Outside = address }, Page(7, 2) with { Outside = address }],
            []
        );
        var renewed = Table([Step(1, funnel: 1)], [Page(4, 1) with { Outside = address }], []);
        Assert.Equal(4, before.With(new(1), renewed).OutsidePage(address.Address)?.Id.Value);
    }

    [Theory]
    [InlineData("kit", null, 4L)]
    [InlineData("kit", 1L, 4L)]
    [InlineData("kit", 2L, 7L)]
    [InlineData("kit?size=small", 1L, 4L)]
    [InlineData("kit?size=small", 2L, 8L)]
    [InlineData("thanks", 2L, 9L)]
    [InlineData("thanks", 1L, 5L)]
    public void A_page_that_two_funnels_share_is_the_funnels_that_the_visitor_came_through(
        string path,
        long? cameThrough,
        long page
    )
    {
        static OutsideAddress At(string path) => new(new($"https://larkrow.example/{path}"));
        var (first, second) = (new FunnelId(1), new FunnelId(2));
        var table = Table(
            [Step(1, funnel: 1), Step(2, funnel: 2)],
            [
                Page(4, 1) with
                {
                    Funnel = first,
                    Outside = At("kit"),
                },
                Page(5, 1) with
                {
                    Funnel = first,
                    Outside = At("thanks"),
                },
                Page(7, 2) with
                {
                    Funnel = second,
                    Outside = At("kit"),
                },
                Page(8, 2) with
                {
                    Funnel = second,
                    Outside = At("kit?size=small"),
                },
                Page(9, 2) with
                {
                    Funnel = second,
                    Outside = At("bought"),
                    LeadsTo = At("thanks"),
                },
            ],
            []
        );
        var found = table.OutsidePage(At(path).Address, funnels =>
        {
            Assert.Equal([first, second], funnels.OrderBy(funnel => funnel.Value));
            return cameThrough is { } funnel ? new FunnelId(funnel) : null;
        });
        Assert.Equal(page, found?.Id.Value);
    }

    [Theory]
    [InlineData("#/kit", 4)]
    [InlineData("#/thanks", 5)]
    [InlineData("?size=big#/thanks", 5)]
    [InlineData("", null)]
    [InlineData("#/elsewhere", null)]
    [InlineData("?size=small#/thanks", 6)]
    public void Pages_that_differ_by_the_fragment_are_told_apart_and_one_alone_needs_none(string visited, int? page)
    {
        OutsideAddress At(string path) => new(new($"https://larkrow.example/app{path}"));
        var table = Table(
            [Step(1, funnel: 1)],
            [
                Page(4, 1) with
                {
                    Outside = At("#/kit"),
                },
                Page(5, 1) with
                {
                    Outside = At("#/thanks"),
                },
                Page(6, 1) with
                {
                    Outside = At("?size=small#/kit"),
                },
            ],
            []
        );
        Assert.Equal(page, table.OutsidePage(At(visited).Address)?.Id.Value);
        Assert.Equal(["#/kit", "#/thanks"], table.FragmentsAt(At("").Address).Order());
        var alone = Table([Step(1, funnel: 1)], [Page(4, 1) with { Outside = At("#/kit") }], []);
        Assert.Equal(4, alone.OutsidePage(At(visited).Address)?.Id.Value);
        Assert.Empty(alone.FragmentsAt(At("").Address));
    }

    [Fact]
    public void A_page_without_a_fragment_is_where_no_other_is()
    {
        OutsideAddress At(string path) => new(new($"https://larkrow.example/app{path}"));
        var table = Table(
            [Step(1, funnel: 1)],
            [Page(4, 1) with { Outside = At("#order") }, Page(5, 1) with { Outside = At("") }],
            []
        );
        Assert.Equal(4, table.OutsidePage(At("#order").Address)?.Id.Value);
        Assert.Equal(5, table.OutsidePage(At("#faq").Address)?.Id.Value);
        Assert.Equal(5, table.OutsidePage(At("").Address)?.Id.Value);
        Assert.False(At("#order").IsSamePage(At("")));
        Assert.True(At("#order").IsSamePlace(At("")));
    }

    [Fact]
    public void Nobody_is_asked_whose_an_address_is_that_one_funnel_has_and_an_archived_funnel_has_none()
    {
        var address = new OutsideAddress(new("https://larkrow.example/kit"));
        var table = Table(
            [Step(1, funnel: 1), Step(2, funnel: 2)],
            [
                Page(4, 1) with
                {
                    Funnel = new(1),
                    Outside = address,
                    HoldsAddress = false,
                },
                Page(7, 2) with
                {
                    Funnel = new(2),
                    Outside = address,
                },
            ],
            []
        );
        Assert.Equal(7, table.OutsidePage(address.Address, _ => throw new InvalidOperationException())?.Id.Value);
    }

    [Fact]
    public void Pages_are_shown_that_a_step_a_running_test_or_a_tied_source_sends_to()
    {
        RoutePage[] pages = [.. Enumerable.Range(1, 5).Select(id => Page(id, 1))];
        var test = new RouteTest(new(1), new PhaseId(1), [pages[0], pages[1]], Weights.Even(2), 0);
        var step = Step(1, funnel: 1) with
        {
            Page = pages[2],
            Test = test,
            Tied = new Dictionary<string, RoutePage> { ["letter"] = pages[3] },
        };
        Assert.Equal([1, 2, 4], Shown(step));
        Assert.Equal([3, 4], Shown(step with { Test = test with { Phase = null } }));
        Assert.Equal([3, 4], Shown(step with { Test = null }));
        Assert.Equal([4], Shown(step with { Test = null, Page = null }));
        Assert.Equal([3], Shown(step with { Test = null, Tied = new Dictionary<string, RoutePage>() }));
    }

    [Theory]
    [InlineData("https://larkrow.example/kit", 1L)]
    [InlineData("https://larkrow.example/kit?x=1", 1L)]
    [InlineData("https://larkrow.example/kit?size=small", 2L)]
    [InlineData("https://larkrow.example/kit?size=small&color=green", 3L)]
    [InlineData("https://larkrow.example/kit?color=green&size=small&s=letter", 3L)]
    [InlineData("https://larkrow.example/kit?color=green", 1L)]
    [InlineData("https://larkrow.example/other", null)]
    public void An_address_belongs_to_the_page_that_knows_most_of_its_parameters(string address, long? page)
    {
        string[] queries = ["", "?size=small", "?size=small&color=green", "?size=small"];
        var pages = queries.Select(
            (query, i) => Page(i + 1, 1) with { Outside = new(new("https://larkrow.example/kit" + query)) }
        );
        Assert.Equal(page, Table([Step(1, funnel: 1)], [.. pages], []).OutsidePage(new(address))?.Id.Value);
    }

    [Fact]
    public void A_link_is_found_in_capitals_too_and_a_page_only_as_it_is_written()
    {
        var table = Table([Step(1, funnel: 1)], [Page(1, 1)], []);
        Assert.Equal(table.Step("step-1"), table.Step("STEP-1"));
        Assert.NotNull(table.Page("page-1"));
        Assert.Null(table.Page("PAGE-1"));
        Assert.Null(table.Step("step-2"));
    }

    [Fact]
    public void The_control_gives_way_only_while_it_rests()
    {
        var test = new RouteTest(new(1), new PhaseId(1), [Page(1, 1), Page(2, 1), Page(3, 1)], Weights.Even(3), 1);
        Assert.Equal(2, test.Fallback.Id.Value);
        Assert.Equal(1, (test with { Resting = new HashSet<PageId> { new(2) } }).Fallback.Id.Value);
        Assert.Equal(2, (test with { Resting = new HashSet<PageId> { new(1) } }).Fallback.Id.Value);
    }

    private static long[] Shown(RouteStep step) =>
        [.. new RouteTable([step], []).Shown.Select(page => page.Id.Value).Order()];

    private static RouteStep Step(int id, int funnel) =>
        new(new(id), $"step-{id}", null, null, null) { Funnel = new(funnel) };

    private static RoutePage Page(int id, int step) => new(new(id), new(step), $"page-{id}", 1, null);

    private static RouteGoal Goal(int funnel, string? key = null) =>
        new(
            new(funnel),
            key ?? $"goal-{funnel}",
            new Goal(GoalKind.Click, "Click"),
            new(funnel),
            new(funnel),
            new(funnel)
        );

    private static RouteTable Table(RouteStep[] steps, RoutePage[] pages, RouteGoal[] goals) =>
        new(steps, pages)
        {
            Goals = goals,
            AffiliateParameter = "partner",
            HeedsPrivacyControl = true,
            PassThrough = "custom",
        };
}
