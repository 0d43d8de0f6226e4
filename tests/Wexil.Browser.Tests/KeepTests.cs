using Microsoft.Extensions.DependencyInjection;
using OpenQA.Selenium;
using Wexil.App.Visits;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.Simulation;
using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.Browser.Tests;

/// <summary>A test from its plan to the next round, as a person does it.</summary>
public sealed class KeepTests
{
    [Fact]
    public async Task From_a_plan_to_a_page_kept_and_the_next_round()
    {
        await using var site = await Site.StartAsync();
        var (step, thanks) = await FunnelAsync(site);
        using var owner = new Browser();
        site.SignIn(owner);

        // The plan: the lift is dragged, and the days follow.
        owner.Open(site.Studio, "/workbench/plan?Rate=20&Lift=10&PerDay=500");
        owner.WaitForText("A lift of 10% takes");
        owner.Run(
            "const drag = document.querySelector('#drag'); drag.value = 40; drag.dispatchEvent(new "
                + "Event('input', { bubbles: true }))"
        );
        owner.WaitForText("A lift of 40% takes");
        // Kept under a name, they are found again as they stood when the lift was let go.
        owner.Run("document.querySelector('#drag').dispatchEvent(new Event('change', { bubbles: true }))");
        owner.Fill("#keep-name", "Swap page, autumn");
        owner.Press("Save");
        owner.WaitForText("Saved.");
        owner.IsAccessible();
        owner.Press("Swap page, autumn");
        owner.WaitForText("A lift of 40% takes");

        // The start.
        owner.Open(site.Studio, "/f/herb-club/swap/send");
        owner.Fill("#Name", "Headline");
        owner.Fill("#Idea", "A number beats a promise.");
        owner.Fill("#BaseRate", "25");
        owner.Press("Start the test");
        owner.WaitForText("The test is running.");

        // A rule; what is wrong is said and stays typed.
        owner.Press("Keep");
        owner.Find("#rule summary").Click();
        owner.Find("#rule [value=Sure]").Click();
        owner.Fill("[name='Rule.Sureness']", "50");
        owner.Press("Save the rule");
        owner.WaitForText("Enter a percentage from 80 to 99.9.");
        Assert.Equal("50", owner.Find("[name='Rule.Sureness']").GetAttribute("value"));
        owner.IsAccessible();
        owner.Fill("[name='Rule.Sureness']", "95");
        owner.Press("Save the rule");
        owner.WaitForText("At least 14 more days to run.");

        // Visitors come by the link; B converts half as many again. The open screen follows by itself.
        owner.Press("Count");
        owner.WaitForText("No visitors yet.");
        var rehearsed = await RehearseAsync(site, step, thanks, 3000);
        owner.WaitForText("Keep B. It got");
        owner.WaitForText(
            $"{rehearsed.ToString("N0", System.Globalization.CultureInfo.InvariantCulture)} visitors since"
        );

        // How far it is, and that it has crossed the line.
        owner.WaitForText("B has crossed the line: it is better than A.");

        // Kept by hand before the rule's days are over, with a check.
        owner.Press("Keep B");
        owner.WaitForText("At least 14 more days to run.");
        owner.Find("aside [name='Check.On']").Click();
        owner.Find("#check-share").SendKeys("20");
        owner.IsAccessible();
        owner.Press("Keep B");
        owner.WaitForText("20% of the visitors go on seeing “Swap seeds”.");
        owner.WaitForText("Too little to tell yet what “Three out, three in” brings.");
        owner.IsAccessible();

        // What it brings is measured on those who come now.
        await RehearseAsync(site, step, thanks, 2000);
        owner.Press("Count");
        owner.WaitForText("more opt-ins than “Swap seeds”, which it replaced.");
        owner.Press("Keep");
        owner.WaitForText("Confirmed");
        owner.Press("End the check");
        owner.WaitForText("is shown to everyone");
        owner.WaitForText("The check measured +");
        owner.WaitForText("History of this step");
        owner.IsAccessible();
        var headline = owner.All(".learned details")[1];
        headline.FindElement(By.CssSelector("summary")).Click();
        headline.FindElement(By.CssSelector("textarea")).SendKeys("Numbers say it quicker.");
        owner.Press("Save note");
        owner.WaitForText("Learned: Numbers say it quicker.");
        using (var visitor = new Browser())
        {
            visitor.Open(site.Visitors, "/go/swap");
            Assert.Equal("Three out, three in", visitor.Find("h1").Text);
        }

        // A report for somebody without a sign-in, until it is withdrawn.
        owner.Press("Create report link");
        owner.WaitForText("Copy now");
        owner.IsAccessible();
        var link = new Uri(owner.Find("a.link").GetAttribute("href")!);
        using (var reader = new Browser(390, 844))
        {
            reader.Open(link);
            reader.WaitForText("Numbers say it quicker.");
            reader.WaitForText("“Three out, three in” got");
            reader.IsAccessible();
            owner.Press("Turn off");
            owner.WaitForText("Link turned off");
            reader.Open(link);
            reader.WaitForText("This link has expired or was turned off.");
        }

        // Found again by what was learned.
        owner.Press("Tests");
        owner.Fill("#q", "quicker");
        owner.Press("Find");
        owner.WaitForText("kept B");
        owner.IsAccessible();
        owner.Press("Headline");

        // The next round: the kept page is the control, its clone opens in the editor.
        owner.Press("Clone it for the next test");
        owner.WaitForText("Change one thing, publish, then start the test");
        owner.Press("Send");
        owner.WaitForText("Split of this step’s traffic");
        owner.WaitFor(() =>
            owner.Find("input[name=Control]:checked").GetAttribute("aria-label")
            == "“Three out, three in” is the control"
                ? ""
                : null
        );
    }

    private static async Task<(Step Step, Step Thanks)> FunnelAsync(Site site)
    {
        var (funnels, pages) = (
            site.Host.Services.GetRequiredService<FunnelStore>(),
            site.Host.Services.GetRequiredService<PageStore>()
        );
        var funnel = await funnels.CreateAsync("Herb Club");
        var step = (await funnels.AddStepAsync(funnel.Id, StepKind.OptIn, "Seed swap", "swap"))!;
        var thanks = (await funnels.AddStepAsync(funnel.Id, StepKind.ThankYou, "On the list", "list"))!;
        await pages.AddAsync(step.Id, "Swap seeds", Bundle("Swap seeds with your neighbours"));
        await pages.AddAsync(step.Id, "Three out, three in", Bundle("Three out, three in"));
        await pages.AddAsync(thanks.Id, "On the list", Bundle("You are on the list"));
        return (step, thanks);
    }

    private static PageBundle Bundle(string headline) =>
        new(
            [
                new(
                    "index.html",
                    System.Text.Encoding.UTF8.GetBytes(
                        $"<!doctype html><html lang=en><title>{headline}</title><h1>{headline}</h1>"
                    )
                ),
            ],
            "index.html"
        );

    /// <summary>Simulated visitors through the service that real ones come to.</summary>
    private static async Task<int> RehearseAsync(Site site, Step step, Step thanks, int count)
    {
        var (visits, crowd) = (site.Host.Services.GetRequiredService<VisitService>(), new SimulatedCrowd(5));
        var routes = site.Host.Services.GetRequiredService<Routes>().Current;
        var now = site.Host.Services.GetRequiredService<TimeProvider>().GetUtcNow();
        for (var i = 0; i < count; i++)
        {
            var visit = new Visit(visits.NewVisitor(now), now, Traits.Unknown);
            var shown = (await visits.VisitAsync(routes, routes.Step(step.Slug)!, visit, known: false))!.Value.Page;
            if (crowd.Does(shown.Slug.StartsWith("three", StringComparison.Ordinal) ? 0.3 : 0.2))
                await visits.VisitAsync(routes, routes.Step(thanks.Slug)!, visit, known: true);
        }
        return count;
    }
}
