using Wexil.Pages.Rehearsing;

namespace Wexil.Pages.Tests;

/// <summary>Where a rehearsal visitor can go from a page.</summary>
public sealed class WaysOnTests
{
    private static readonly Uri Visitors = new("http://visit.example:81"),
        Page = new("http://visit.example:81/go/calendar?s=ad");

    private static WaysOn Find(string html, Uri? page = null) =>
        WaysOn.Find(html, page ?? Page, Visitors, "ann@wexil.invalid");

    [Fact]
    public void A_form_is_filled_in_as_a_browser_sends_it()
    {
        var form = Find(
            """
            <form><input name="search"></form>
            <form method="POST" action="/p/a/opt-in">
              <input type="email" name="email" value="you@"><input name="first"><input name="last" required>
              <input name="wx_leave_empty"><input type="hidden" name="list" value="7">
              <input disabled name="off" value="1">
              <input type="checkbox" name="news" value="yes"><input type="checkbox" name="terms" value="ok" required>
              <input type="radio" name="size" value="s"><input type="radio" name="size" value="m" checked>
              <select name="country"><option value="AT">A<option value="DE" selected>D</select>
              <textarea name="note">Hi</textarea><input type="file" name="file"><button name="go" value="1">Go</button>
            </form>
            """
        ).Form!;
        Assert.Equal((new Uri("http://visit.example:81/p/a/opt-in"), true), (form.Action, form.IsPost));
        Assert.Equal(
            "email=ann@wexil.invalid&first=&last=Rehearsal&wx_leave_empty=&list=7&terms=ok&size=m&country=DE&note=Hi",
            string.Join('&', form.Fields.Select(field => $"{field.Key}={field.Value}"))
        );
    }

    [Theory]
    [InlineData("<form action='mailto:a@b.example'><input type=email name=e></form>")]
    [InlineData("<form action='javascript:send()'><input type=email name=e></form>")]
    [InlineData("<form><input name=q></form>")]
    [InlineData("<form><input type=email name=e disabled></form>")]
    [InlineData("<form")]
    [InlineData("")]
    public void A_form_that_asks_for_no_address_or_leads_nowhere_is_none(string html) => Assert.Null(Find(html).Form);

    [Theory]
    [InlineData("#")]
    [InlineData("#top")]
    [InlineData("")]
    [InlineData("/go/calendar?s=ad#top")]
    [InlineData("/go/calendar")]
    public void A_link_to_the_page_itself_leads_nowhere(string href)
    {
        Assert.Null(Find($"<a href='{href}'>Download</a>").Next);
        Assert.Equal("/go/next", Find($"<a href='{href}'>x</a><a href='/go/next'>On</a>").Next!.AbsolutePath);
    }

    [Fact]
    public void Only_links_on_the_visitors_own_host_lead_on()
    {
        var ways = Find(
            """
            <title> Kit </title><a href="http://other.example/buy/x">x</a><a href="http://visit.example/buy/y">y</a>
            <a href="/buy/kit?button=2">Buy</a><a href="/no/kit">No</a><a href="/go/next#top">On</a><a href="::">z</a>
            """
        );
        Assert.Equal(
            ("Kit", "/buy/kit?button=2", "/no/kit", "/go/next"),
            (ways.Title, ways.Buy!.PathAndQuery, ways.No!.PathAndQuery, ways.Next!.AbsolutePath)
        );
        Assert.False(ways.HasScript);
    }

    [Theory]
    [InlineData("<script src='http://visit.example:81/wexil.js' defer></script>", true)]
    [InlineData("<!-- <script src='http://visit.example:81/wexil.js'></script> -->", false)]
    [InlineData("<script src='http://visit.example/wexil.js'></script>", false)]
    [InlineData("<script src='/wexil.js'></script>", false)]
    public void The_tracking_script_is_the_one_of_the_visitors_host(string html, bool has) =>
        Assert.Equal(has, Find(html, new("https://larkrow.example/kit")).HasScript);
}
