using Microsoft.Extensions.DependencyInjection;
using OpenQA.Selenium;
using Wexil.App.Installation;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.Browser.Tests;

/// <summary>Sending visitors as a person sets it up, and what their browsers see of it.</summary>
public sealed class SendTests
{
    [Fact]
    public async Task Weights_rules_and_times_are_set_tried_started_and_changed()
    {
        await using var site = await Site.StartAsync();
        var (funnel, _) = await FunnelAsync(site, "<h1>The calendar</h1>", "<h1>The salad</h1>");
        using var owner = new Browser();
        site.SignIn(owner);
        owner.Open(site.Studio, $"/f/{funnel.Slug}/calendar/send");

        using (var phone = new Browser(390, 844))
        {
            site.SignIn(phone);
            phone.Open(site.Studio, $"/f/{funnel.Slug}/calendar/send");
            phone.WaitForText("Start the test");
            phone.IsAccessible();
        }

        // The weights by keyboard; what lies ahead follows.
        owner.Run("document.querySelector('[role=slider]').focus()");
        for (var i = 0; i < 20; i++)
            owner.Driver.SwitchTo().ActiveElement().SendKeys(Keys.ArrowRight);
        Assert.Equal("A 70%, B 30%", owner.Find("[role=slider]").GetAttribute("aria-valuetext"));
        // Typed, one weight makes the other give way, and the sum stays 100.
        owner.All("[data-weight]")[1].Clear();
        owner.All("[data-weight]")[1].SendKeys("45" + Keys.Tab);
        owner.WaitFor(() => owner.Find("[role=slider]").GetAttribute("aria-valuetext") == "A 55%, B 45%" ? "" : null);
        // While they do not add up, nothing moves away under the hands.
        var place = owner.All("[data-weight]")[0].Location;
        owner.All("[data-weight]")[0].SendKeys(Keys.Control + "a");
        owner.All("[data-weight]")[0].SendKeys("7");
        owner.WaitForText("The weights add up to 52. Add 48.");
        Assert.Equal(place, owner.All("[data-weight]")[0].Location);
        owner.All("[data-weight]")[0].SendKeys("0" + Keys.Tab);
        owner.WaitFor(() => owner.Find("[role=slider]").GetAttribute("aria-valuetext") == "A 70%, B 30%" ? "" : null);
        owner.Find("[data-allocation][value=Rotation]").Click();
        owner.WaitFor(() =>
            string.Concat(owner.All("[data-next] .mark").Select(mark => mark.Text)) is { Length: 10 } next
            && next.Count(letter => letter == 'A') == 7
                ? next
                : null
        );

        // A rule, tried before it is saved.
        owner.Find("#who summary").Click();
        owner.Fill("[name='Who.Rules[0].Parameter']", "staff");
        owner.Fill("#who-Countries", "Atlantis");
        owner.Fill("#Try_Address", "https://x.example/?staff=1");
        owner.Press("Check");
        owner.WaitForText("“Atlantis” is not a country that Wexil knows.");
        owner.IsAccessible();
        owner.Fill("#who-Countries", "Germany");
        owner.Run("document.querySelector('[name=\"Who.CountriesOut\"]').value = 'true'");
        owner.Press("Check");
        owner.WaitForText("Does not take part: the address has staff.");

        // It starts when the owner says so: first in the past of its own end, which is refused.
        owner.Run("document.querySelector('#Until').value = '2040-11-01T08:00'");
        owner.Press("Start the test");
        owner.WaitForText("This time is in the past.");
        owner.WaitForText("Enter your best guess. It is corrected once there are results.");
        owner.Fill("#BaseRate", "25");
        owner.Run("document.querySelector('#Until').value = '2040-12-01T08:00'");
        owner.Press("Start the test");
        owner.WaitForText("The test is running.");
        owner.WaitForText("everywhere except Germany");
        owner.IsAccessible();

        // As a phone from another country.
        owner.Find("#try summary").Click();
        owner.Run(
            "document.querySelector('#as-device').value = '2'; document.querySelector('#as-country').value = 'DE'"
        );
        owner.Press("Create preview link");
        var link = owner.WaitFor(() => owner.All("#try a.btn").FirstOrDefault()?.GetAttribute("href"));
        using (var tried = new Browser(390, 844))
        {
            tried.Open(new Uri(link));
            tried.WaitForText("The calendar");
            tried.WaitForText("Does not take part: Germany does not take part.");
        }

        // Several browsers; the owner's own does not count.
        owner.Open(site.Visitors, "/go/calendar");
        using var visitor = new Browser();
        for (var i = 0; i < 10; i++)
        {
            visitor.Open(site.Visitors, "/go/calendar");
            visitor.ForgetCookies();
        }
        await site.Host.Journal.WhenProjectedAsync();
        owner.Open(site.Studio, $"/f/{funnel.Slug}/calendar/count");
        owner.WaitForText("10 visitors · 0 opt-ins");
        owner.Press("Send");
        Assert.Contains("Your own visits", owner.Text, StringComparison.Ordinal);

        // Another split begins a phase, and the log says so.
        owner.Press("Split evenly");
        owner.Press("Save the changes");
        owner.WaitForText("A new phase has started");
        Assert.Contains("Weights set to 50/50", owner.Text, StringComparison.Ordinal);
        owner.Press("Pause the test");
        owner.WaitForText("For now everyone sees");
        owner.IsAccessible();
    }

    [Fact]
    public async Task An_own_page_moves_its_visitor_on_before_it_is_painted_and_keeps_them_when_nobody_answers()
    {
        await using var site = await Site.StartAsync();
        var loader = "";
        await using var elsewhere = await Site.ElsewhereAsync(
            _ => new Dictionary<string, string> { ["own"] = "{{own}}" },
            () => loader
        );
        var own = new Uri(elsewhere.Urls.Single() + "/own");
        var (funnel, step) = await FunnelAsync(site, own, "<h1>The salad</h1>");
        var pages = site.Host.Services.GetRequiredService<PageStore>().ForStep(step.Id);
        var test = await site
            .Host.Services.GetRequiredService<TestStore>()
            .StartAsync(
                new(
                    step.Id,
                    site.Host.Services.GetRequiredService<FunnelStore>().Steps(funnel.Id)[1].Id,
                    "Own page",
                    "",
                    0.2,
                    0.2,
                    [.. pages.Select(page => page.Id)],
                    Weights.Create(0, 100)
                )
            );
        // What the browser paints is told by the page itself, from the start: one that is left may not get to say it.
        const string watch =
            "<script>const painted = (names) => sessionStorage.setItem(location.search, JSON.stringify(names));"
            + "painted([]);"
            + "new PerformanceObserver((seen) => painted(seen.getEntries().map((p) => p.name)))"
            + ".observe({ type: 'paint', buffered: true })</script>";
        string Page(Uri asked, int wait)
        {
            var lines = StartLoader.For("calendar", asked.GetLeftPart(UriPartial.Authority), own, wait);
            return $"<!doctype html><html><head>{watch}{lines}</head>"
                + "<body style='background:#c00'><h1>The owner’s page</h1></body></html>";
        }
        // What is shown is that nothing is painted before the answer, however long a busy machine takes over it.
        loader = Page(site.Visitors, wait: 30_000);

        using var visitor = new Browser();
        visitor.Open(new Uri(own + "?s=ad&x=1"));
        visitor.WaitForText("The salad");
        Assert.Contains("x=1", visitor.Address, StringComparison.Ordinal);
        await site.Host.Journal.WhenProjectedAsync();
        Assert.Equal(1, Arms(site, test!.Value));
        // Back on the own page, which no longer acts: what was painted there before is known.
        visitor.Open(new Uri(own + "?wx=seen"));
        visitor.WaitForText("The owner’s page");
        Assert.Equal("[]", visitor.Run("return sessionStorage.getItem('?s=ad&x=1')"));

        // Where Wexil does not answer, the page is shown all the same.
        visitor.Run("sessionStorage.clear()");
        loader = Page(new("http://127.0.0.1:1"), wait: 300);
        visitor.Open(own);
        visitor.WaitForText("The owner’s page");
        Assert.StartsWith(own.ToString(), visitor.Address, StringComparison.Ordinal);
    }

    private static long Arms(Site site, TestId id)
    {
        var tests = site.Host.Services.GetRequiredService<TestStore>();
        return site
            .Host.Services.GetRequiredService<TallyStore>()
            .Phases(tests.Find(id)!, tests.Phases(id))
            .Sum(phase => phase.Arms.Sum(arm => arm.Visitors));
    }

    private static async Task<(Funnel Funnel, Step Step)> FunnelAsync(Site site, params object[] pages)
    {
        var funnels = site.Host.Services.GetRequiredService<FunnelStore>();
        var store = site.Host.Services.GetRequiredService<PageStore>();
        var funnel = await funnels.CreateAsync("Balcony Harvest");
        var step = (await funnels.AddStepAsync(funnel.Id, StepKind.OptIn, "Planting calendar", "calendar"))!;
        var inbox = (await funnels.AddStepAsync(funnel.Id, StepKind.ThankYou, "Check your inbox", "inbox"))!;
        foreach (var (page, i) in pages.Select((page, i) => (page, i)))
        {
            if (page is Uri outside)
                await store.AddAsync(step.Id, $"Page {i + 1}", outside);
            else
                await store.AddAsync(step.Id, $"Page {i + 1}", Bundle((string)page));
        }
        await store.AddAsync(inbox.Id, "Inbox", Bundle("<h1>Thanks</h1>"));
        return (funnel, step);
    }

    private static PageBundle Bundle(string html) =>
        new([new("index.html", System.Text.Encoding.UTF8.GetBytes(html))], "index.html");
}
