using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;

namespace Wexil.Pages.Tests;

/// <summary>What an outside page does by itself is said, and what it does not is not.</summary>
public sealed class OutsideWaysTests
{
    private static IReadOnlyList<Finding> Check(string html, string robots = "") =>
        OutsideWays.Check(
            new(html, new("https://larkrow.example/kit"), []),
            robots.Length > 0 ? [robots] : [],
            new("https://go.larkrow.example"),
            [
                new(
                    "Checkout",
                    "https://go.larkrow.example/go/checkout",
                    new OutsideAddress(new("https://till.example/pay?kit=1"))
                ),
            ]
        );

    [Theory]
    [InlineData("<meta name=robots content='noindex, follow'>", "", true)]
    [InlineData("<meta name=Robots content=NONE>", "", true)]
    [InlineData("<p>", "googlebot: noindex", true)]
    [InlineData("<p>", "noindex", true)]
    [InlineData("<meta name=robots content='index, follow'>", "nofollow", false)]
    [InlineData("<meta name=description content=noindex>", "", false)]
    public void A_page_that_asks_not_to_be_listed_is_named(string html, string robots, bool isNamed) =>
        Assert.Equal(isNamed, Check(html, robots).Any(finding => finding.Words.Contains("noindex")));

    [Theory]
    [InlineData("<a href='https://till.example/pay?kit=1'>Order now</a>", true)]
    [InlineData("<a href='//till.example/pay?b=2&kit=1'>Order now</a>", true)]
    [InlineData("<a href='//till.example/pay?kit=1&wx=abc'>Order now</a>", false)]
    [InlineData("<base href='https://till.example/'><a href='pay?kit=1#now'>Order now</a>", true)]
    [InlineData("<a href='https://till.example/pay'>Order now</a>", false)]
    [InlineData("<a href='https://go.larkrow.example/go/checkout'>Order now</a>", false)]
    [InlineData("<a href='javascript:void(0)'>Order now</a><a href>x</a>", false)]
    public void A_link_that_leaves_the_token_behind_is_named_with_the_one_to_use(string html, bool isNamed)
    {
        var finding = Check(html).FirstOrDefault(finding => finding.What == "Links with the token");
        Assert.Equal(isNamed, finding is not null);
        if (finding is null)
            return;
        Assert.Contains("The link “Order now” leads directly to till.example", finding.Words);
        Assert.Contains("https://go.larkrow.example/go/checkout", finding.Mend);
    }

    [Theory]
    [InlineData("<form action='https://letters.example/in'><input type=email></form>", true)]
    [InlineData("<form action='/in'><input type=email></form>", false)]
    [InlineData("<form><input type=email></form>", false)]
    [InlineData("<form action='https://go.larkrow.example/x'><input type=email></form>", false)]
    [InlineData("<form role=search action='https://search.example/'><input name=q></form>", false)]
    [InlineData("<form action='https://till.example/'><input type=hidden name=wx data-wexil=token></form>", false)]
    public void A_form_that_sends_where_nothing_is_seen_is_named(string html, bool isNamed) =>
        Assert.Equal(isNamed, Check(html).Any(finding => finding.What == "Forms"));

    [Theory]
    [InlineData("<script>location.replace('/other')</script>", "location.replace('/other')")]
    [InlineData("<script>window.location.href = \"https://x.example/\";</script>", "location.href =")]
    [InlineData("<script>document.location='/a'</script>", "location='/a'")]
    [InlineData("<meta http-equiv=Refresh content='0; url=/other'>", "0; url=/other")]
    [InlineData("<script>if (location.href == '/a' || location.search === b) f(location.href)</script>", null)]
    [InlineData("<meta http-equiv=refresh content=300>", null)]
    [InlineData("<script>wexilStart; location.replace('/p')</script>", null)]
    [InlineData("<script type=module src=a.js></script>", null)]
    public void What_takes_visitors_away_by_itself_is_named(string html, string? named)
    {
        var finding = Check(html).FirstOrDefault(finding => finding.What == "No redirect by script");
        Assert.Equal(named is not null, finding is not null);
        if (named is not null)
            Assert.Contains(named, finding!.Words);
    }

    [Fact]
    public void Of_an_ordinary_page_nothing_is_said() =>
        Assert.Empty(Check("<title>Kit</title><a href=/more>More</a><form method=post><input type=email></form>"));
}
