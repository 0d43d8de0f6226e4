using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;

namespace Wexil.Core.Tests.Assignments;

/// <summary>What a link hands on, and where it leads.</summary>
public sealed class LinkTests
{
    private const string Home = "https://go.larkrow.example";

    [Theory]
    [InlineData(CarryKind.All, "", "?s=ad&a=1", "?s=ad&a=1")]
    [InlineData(CarryKind.None, "", "?s=ad&a=1", "")]
    [InlineData(CarryKind.Except, "s", "?s=ad&a=%20b&utm_source=x", "?a=%20b&utm_source=x")]
    [InlineData(CarryKind.Except, "s", "?s=ad", "")]
    [InlineData(CarryKind.Only, "utm_source, gclid", "?s=ad&gclid=1&utm_source=x", "?gclid=1&utm_source=x")]
    [InlineData(CarryKind.Only, "%73", null, null)]
    [InlineData(CarryKind.Except, " , ", null, null)]
    [InlineData(CarryKind.Except, "", "", null)]
    public void Those_parameters_go_on_that_the_owner_chose_as_they_came(
        CarryKind kind,
        string names,
        string? query,
        string? goesOn
    )
    {
        var (carried, problem) = CarriedParameters.Check(kind, names);
        Assert.Equal(goesOn, carried?.Select(query!));
        Assert.Equal(goesOn is null, problem is not null);
        if (carried is not null)
            Assert.Equal(carried, CarriedParameters.Parse(carried.ToString()));
    }

    [Theory]
    [InlineData(30, true)]
    [InlineData(31, false)]
    public void As_many_parameters_can_be_named_as_anybody_needs(int names, bool isTaken) =>
        Assert.Equal(
            isTaken,
            CarriedParameters
                .Check(CarryKind.Only, string.Join(',', Enumerable.Range(0, names).Select(name => $"p{name}")))
                .Carried
                is not null
        );

    [Theory]
    [InlineData("https://go.larkrow.example/go/one", "one")]
    [InlineData("HTTPS://GO.larkrow.example/go/ONE?a=1", "one")]
    [InlineData("https://go.larkrow.example/go/two", "two one")]
    [InlineData("https://go.larkrow.example/buy/page-two", "three two one")]
    [InlineData("https://go.larkrow.example/go/three", "three two one")]
    [InlineData("https://go.larkrow.example/go/four", null)]
    // By a page of a test, by its page for others, by a tied page, and by where an archived step forwards to.
    [InlineData("https://go.larkrow.example/go/tested", "tested one")]
    [InlineData("https://go.larkrow.example/go/for-others", "for-others one")]
    [InlineData("https://go.larkrow.example/go/tied", "tied one")]
    [InlineData("https://go.larkrow.example/go/archived", "archived two one")]
    [InlineData("https://go.larkrow.example/p/page-two/", null)]
    [InlineData("https://elsewhere.example/go/one", null)]
    public void A_link_is_not_sent_back_to_itself_however_many_links_lie_between(string address, string? way)
    {
        RoutePage two = new(new(2), new(2), "page-two", 1, new(new($"{Home}/go/one"))),
            three = new(new(3), new(3), "page-three", 1, new(new($"{Home}/go/two")));
        RoutePage hosted = new(new(4), new(4), "hosted", 1, null);
        RouteTest Test(RoutePage[] pages) => new(new(1), new PhaseId(1), pages, Weights.Even(2), 0);
        var table = new RouteTable(
            [
                new(new(1), "one", null, null, "two"),
                new(new(2), "two", two, null, "three"),
                new(new(3), "three", three, null, null),
                new(new(5), "tested", null, Test([hosted, two]), null),
                new(new(6), "for-others", null, Test([hosted]) with { Others = two }, null),
                new(new(7), "tied", null, null, null) { Tied = new Dictionary<string, RoutePage> { ["letter"] = two } },
                new(new(8), "archived", hosted, null, null, Forward: $"{Home}/go/two"),
                new(new(4), "four", new(new(4), new(4), "page-four", 1, null), null, null),
            ],
            [two, three]
        );
        Assert.Equal(
            way,
            LinkLoop.Find(table, "one", new(address), Home) is { } found ? string.Join(' ', found) : null
        );
    }

    [Fact]
    public void Visitors_are_seen_where_a_page_leads_to_unless_another_page_is_there()
    {
        RoutePage moved = Page(1, "https://larkrow.example/old", "https://larkrow.example/new?order=1"),
            own = Page(2, "https://larkrow.example/own"),
            led = Page(3, "https://larkrow.example/was", "https://larkrow.example/own");
        var table = new RouteTable([new(new(1), "one", moved, null, null)], [moved, own, led]);
        Assert.Equal(moved.Id, table.OutsidePage(new("https://larkrow.example/new?order=2"))?.Id);
        Assert.Equal(moved.Id, table.OutsidePage(new("https://larkrow.example/old"))?.Id);
        Assert.Equal(own.Id, table.OutsidePage(new("https://larkrow.example/own"))?.Id);
        // Where two lead to one path, what they lead to besides tells them apart.
        RoutePage five = Page(5, "https://larkrow.example/5", "https://larkrow.example/?page_id=5"),
            six = Page(6, "https://larkrow.example/6", "https://larkrow.example/?page_id=6");
        var both = new RouteTable([new(new(1), "one", five, null, null)], [five, six]);
        Assert.Equal(six.Id, both.OutsidePage(new("https://larkrow.example/?page_id=6&x=1"))?.Id);
        Assert.Null(both.OutsidePage(new("https://larkrow.example/?page_id=7")));
    }

    private static RoutePage Page(int id, string address, string? leadsTo = null) =>
        new(new(id), new(1), $"page-{id}", 1, new(new(address)))
        {
            LeadsTo = leadsTo is null ? null : new(new(leadsTo)),
        };
}
