using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Pages.Serving;
using Wexil.Pages.Starters;

namespace Wexil.Pages.Tests;

public sealed class WiringTests
{
    private static readonly WiringPlan Plan = new(
        "kit",
        "sales",
        "https://go.larkrow.example",
        ["/go/till", AddressKey.For("https://till.example/pay?product=1")]
    );

    [Theory]
    [InlineData("<a href='https://till.example/pay?product=2#x'>Buy</a>", "/buy/kit")]
    [InlineData("<a href='//till.example/pay/'>Buy</a>", "/buy/kit")]
    [InlineData("<a href='/go/till?x=1'>Buy</a>", "/buy/kit")]
    [InlineData("<a href='https://go.larkrow.example/go/till'>Buy</a>", "/buy/kit")]
    [InlineData("<a href='/buy/another-page'>Buy</a>", "/buy/kit")]
    [InlineData("<a href='#' data-wexil=buy>Buy</a>", "/buy/kit")]
    [InlineData("<a href='#' data-wexil='no'>No</a>", "/no/kit")]
    [InlineData("<a href='https://till.example/payments'>Help</a>", null)]
    [InlineData("<a href='https://till.example.evil.example/pay'>Help</a>", null)]
    [InlineData("<a href='/go/other'>On</a>", null)]
    [InlineData("<form action='/p/another-page/opt-in'><input type=email name=email></form>", "/p/kit/opt-in")]
    [InlineData("<form action='javascript:void(0)'><input name=Your-Email></form>", "/p/kit/opt-in")]
    [InlineData("<form action='https://mail.example/join'><input type=email name=email></form>", null)]
    [InlineData("<form action='/search'><input type=search name=q></form>", null)]
    public void Forms_and_buttons_know_the_page_that_they_stand_on(string html, string? leads)
    {
        var served = HostedHtml.Prepare(html, new("index.html", "/p/kit/", Plan)).Html;
        if (leads is null)
            Assert.Equal(html, served);
        else
            Assert.Contains($"\"{leads}\"", served);
    }

    [Fact]
    public void The_lines_that_begin_a_test_on_an_outside_page_are_not_served_here() =>
        Assert.Equal(
            "<head><title>A</title></head><p>x",
            HostedHtml
                .Prepare(
                    "<head><script data-wexil-start>go()</script><title>A</title></head><p>x",
                    new("index.html", "/p/kit/", Plan)
                )
                .Html
        );

    [Fact]
    public void Buttons_that_lead_to_different_tills_keep_them_apart()
    {
        var ready = HostedHtml.Prepare(
            "<a data-wexil=buy href=https://a.example/1>1<a data-wexil=buy href=https://b.example/2>2<a "
                + "data-wexil=buy href=https://a.example/1>1<a data-wexil=buy>next",
            new("index.html", "/p/kit/", Plan)
        );
        Assert.Equal(["https://a.example/1", "https://b.example/2", ""], ready.BuyTargets);
        Assert.Equal(2, ready.Html.Split("\"/buy/kit\"").Length - 1);
        Assert.Contains("/buy/kit?button=3", ready.Html);
    }

    [Theory]
    [InlineData(StepKind.OptIn, "<p>nothing</p>", new[] { WiringProblem.NoForm })]
    [InlineData(StepKind.OptIn, "<form><input type=email></form>", new WiringProblem[0])]
    [InlineData(
        StepKind.OptIn,
        "<form action=https://mail.example><input type=email></form>",
        new[] { WiringProblem.FormElsewhere }
    )]
    [InlineData(
        StepKind.OptIn,
        "<form><input name=name></form>",
        new[] { WiringProblem.FormWithoutEmail, WiringProblem.NoForm }
    )]
    [InlineData(StepKind.Sales, "<a href=#>Buy</a>", new[] { WiringProblem.NoButton })]
    [InlineData(StepKind.Sales, "<a href=/go/till>Buy</a>", new WiringProblem[0])]
    [InlineData(StepKind.Upsell, "<a data-wexil=buy>Yes</a><a data-wexil=no>No</a>", new WiringProblem[0])]
    [InlineData(
        StepKind.ThankYou,
        "<a href=/p/another/>Look</a><a href=/p/kit/file.pdf>Mine</a>",
        new[] { WiringProblem.OtherPage }
    )]
    [InlineData(StepKind.ThankYou, "<a href=/go/sales>Again</a>", new[] { WiringProblem.OwnStep })]
    [InlineData(StepKind.ThankYou, "<p>Thanks</p>", new WiringProblem[0])]
    public void What_is_not_wired_is_listed_with_what_to_do(StepKind kind, string html, WiringProblem[] problems)
    {
        var report = Wiring.Check(html, Plan, kind);
        Assert.Equal(problems, report.Notes.Select(note => note.Problem));
        Assert.All(report.Notes, note => Assert.EndsWith(".", note.Remedy));
    }

    [Fact]
    public void A_form_that_waited_for_its_own_script_works_for_a_mouse_and_sends_every_field()
    {
        const string form =
            "<form data-api=x><input id=firstName placeholder='Your name'><input type=tel placeholder='Phone "
            + "number'><input type=email id=mail>"
            + "<textarea aria-label=Message></textarea><input name=plan value=a><button class='btn disabled' "
            + "id=go type=submit>Send</button><button disabled>Send too</button><button type=button "
            + "disabled>Other</button></form>";
        var served = HostedHtml
            .Prepare(form, new("index.html", "/p/kit/", new("kit", "kit", "https://go.example", [])))
            .Html;
        foreach (
            var part in new[]
            {
                "name=\"firstname\"",
                "name=\"phone-number\"",
                "name=\"email\"",
                "name=\"message\"",
                "name=plan",
                "class=\"btn\"",
                "<button>Send too",
                "<button type=button disabled>",
            }
        )
            Assert.Contains(part, served, StringComparison.Ordinal);
        // In the editor the page stands as it is written.
        Assert.Contains(
            "class='btn disabled'",
            HostedHtml
                .Prepare(
                    form,
                    new("index.html", "/p/kit/", new("kit", "kit", "https://go.example", []), View: PageView.Editor)
                )
                .Html,
            StringComparison.Ordinal
        );
        // A form that is not ours is left alone.
        var elsewhere = form.Replace("<form ", "<form action=https://mail.example/ ", StringComparison.Ordinal);
        Assert.Equal(
            elsewhere,
            HostedHtml
                .Prepare(elsewhere, new("index.html", "/p/kit/", new("kit", "kit", "https://go.example", [])))
                .Html
        );
    }

    [Fact]
    public void Every_starter_is_wired_for_its_kind_of_step_and_stands_on_its_own()
    {
        var offer = new Offer("Salad & <Herbs>", "Your first salad in 21 days", "€ 49.00")
        {
            Brand = new("#a3271f", false),
        };
        foreach (var starter in Starter.All)
        {
            var html = starter.HtmlFor(offer);
            var report = Wiring.Check(html, Plan, starter.Kind);
            Assert.True(
                report.Notes.Count == 0,
                $"{starter.Key}: {string.Join(' ', report.Notes.Select(note => note.What))}"
            );
            if (starter.Kind.AsksYesOrNo())
                Assert.Equal((1, 1), (report.Buttons, report.Noes));
            Assert.NotNull(HostedHtml.Title(html));
            Assert.DoesNotContain("http", html.Replace("http://www.w3.org", "", StringComparison.Ordinal));
            // The offer and the look are in it, as text, and no place is left open.
            Assert.DoesNotContain("{{", html, StringComparison.Ordinal);
            Assert.DoesNotContain("<Herbs>", html, StringComparison.Ordinal);
            Assert.Contains("--accent: #a3271f", html, StringComparison.Ordinal);
            Assert.DoesNotContain("Georgia", html, StringComparison.Ordinal);
        }
        Assert.Contains("<h1>Your first salad in 21 days</h1>", Starter.Find("opt-in")!.HtmlFor(offer));
        Assert.Contains("<h1>Get Salad</h1>", Starter.Find("opt-in")!.HtmlFor(new("Salad")), StringComparison.Ordinal);
        Assert.Equal((12, 5), (Starter.All.Count, StarterFunnel.All.Count));
        Assert.All(StarterFunnel.All, funnel => Assert.Equal(StepKind.ThankYou, funnel.Steps[^1].Page.Kind));
    }

    [Theory]
    [InlineData("#1d5a3c", "#ffffff")]
    [InlineData("#f2d024", "#14201b")]
    [InlineData("#767676", "#14201b")]
    [InlineData("#707070", "#ffffff")]
    public void Words_on_a_button_can_be_read_whatever_its_color(string accent, string words) =>
        Assert.Equal(words, new Brand(accent, true).OnAccent);

    [Theory]
    [InlineData("#a3271F", true)]
    [InlineData("#a3271", false)]
    [InlineData("red", false)]
    [InlineData("#a3271f; } body { display: none", false)]
    [InlineData(null, false)]
    public void A_color_is_six_digits_and_nothing_else(string? text, bool isColor) =>
        Assert.Equal(isColor, Brand.IsColor(text));
}
