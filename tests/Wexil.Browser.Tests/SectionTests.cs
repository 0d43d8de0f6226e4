using Microsoft.AspNetCore.Builder;
using Microsoft.Extensions.DependencyInjection;
using OpenQA.Selenium;
using Wexil.App.Installation;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Pages.Source;
using Wexil.Store;

namespace Wexil.Browser.Tests;

/// <summary>Parts of a page with versions, from the first click in the editor to the version that is kept.</summary>
public sealed class SectionTests
{
    // What is painted of the banner, in order: by the names that its versions give to their timing.
    private const string Watch = """
        <script>
        window.painted = [];
        new PerformanceObserver((list) => {
          for (const entry of list.getEntries()) painted.push(entry.identifier);
        }).observe({ type: "element", buffered: true });
        </script>
        """;

    [Fact]
    public async Task Two_sections_of_a_hosted_page_are_marked_tested_and_kept()
    {
        await using var site = await Site.StartAsync();
        var funnels = site.Host.Services.GetRequiredService<FunnelStore>();
        var funnel = await funnels.CreateAsync("Harvest");
        var step = (await funnels.AddStepAsync(funnel.Id, StepKind.Sales, "Kit", "kit"))!;
        var thanks = (await funnels.AddStepAsync(funnel.Id, StepKind.ThankYou, "Thanks", "thanks"))!;
        var pages = site.Host.Services.GetRequiredService<PageStore>();
        await pages.AddAsync(
            step.Id,
            "Letter",
            Bundle("<h1>A harvest from two square metres</h1><p>Grows or your money back.</p>")
        );
        await pages.AddAsync(thanks.Id, "Thanks", Bundle("<h1>Thank you</h1>"));

        using var owner = new Browser();
        site.SignIn(owner);
        owner.OpenEditor(site.Studio, "/f/harvest/kit/build/letter", "A harvest");
        foreach (var (part, name) in new[] { ("Headline", "Headline"), ("Text", "Guarantee") })
        {
            owner.Run(
                "[...document.querySelectorAll('[data-parts] button')]"
                    + ".find(b => b.textContent.startsWith(arguments[0])).click()",
                part
            );
            owner.Press("Test variations of this element");
            owner.Fill("#part-section", name);
            owner.Press("Make it a section");
            owner.WaitForText("Variations of this section");
            owner.WaitForText("Saved");
        }
        owner.Press("Publish");
        owner.WaitForText("is published");
        foreach (
            var (section, element, was, words) in new[]
            {
                ("headline", "h1", "A harvest", "Herbs in January"),
                ("guarantee", "p", "Grows or", "Pay after the harvest."),
            }
        )
        {
            owner.Open(site.Studio, $"/f/harvest/{section}/build");
            owner.IsAccessible();
            owner.Press("Clone");
            owner.WaitForTextIn("[data-page]", was);
            owner.WaitFor(() => owner.All("[data-stage][aria-busy=true]").Count == 0 ? "" : null);
            // The version is changed in the page that it is for, of which nothing else can be chosen.
            Assert.Single(owner.All("[data-parts] button"));
            owner.ClickIn("[data-page]", element);
            owner.Control("a");
            owner.Type(words + Keys.Enter);
            owner.WaitForTextIn("[data-page]", words);
            owner.Press("Publish");
            owner.WaitForText("is published");
            owner.Open(site.Studio, $"/f/harvest/{section}/send");
            owner.Fill("#BaseRate", "10");
            owner.Press("Start the test");
            owner.WaitForText("The test is running");
        }
        var seen = new HashSet<string>();
        for (var i = 0; i < 12; i++)
        {
            using var visitor = new HttpClient { BaseAddress = site.Visitors };
            visitor.DefaultRequestHeaders.UserAgent.ParseAdd("Mozilla/5.0 (X11; Linux x86_64) Chrome/140.0.0.0");
            var shown = await visitor.GetStringAsync("/go/kit");
            seen.Add($"{shown.Contains("Herbs in January")} {shown.Contains("Pay after")}");
            Assert.DoesNotContain("data-wexil-section", shown);
        }
        Assert.True(seen.Count >= 3, string.Join(", ", seen));
        owner.Open(site.Studio, "/f/harvest/kit/sections");
        owner.WaitForText("Best variation of each section");
        owner.IsAccessible();

        owner.Open(site.Studio, "/f/harvest/headline/keep");
        owner.Run("document.querySelectorAll('input[name=Kept]')[1].click()");
        owner.Press("Keep chosen variation");
        owner.Press("anyway");
        owner.WaitForText("is shown to everyone");
        using var after = new Browser();
        after.Open(site.Visitors, "/go/kit");
        after.WaitForText("Herbs in January");
        owner.Open(site.Studio, "/f/harvest/guarantee/count");
        owner.WaitForText("“Headline” shows");

        // Taken back, it is tested again; and then the best of both is kept as a plain page.
        owner.Open(site.Studio, "/f/harvest/headline/keep");
        owner.Press("Undo and resume the test");
        owner.WaitForText("the test continues in a new phase");
        owner.Open(site.Studio, "/f/harvest/kit/sections");
        owner.Press("Show it");
        owner.WaitForText("open it with its own scripts");
        owner.IsAccessible();
        owner.Press("Keep these together");
        owner.WaitForText("Keep them anyway?");
        owner.Press("Keep them anyway");
        owner.WaitForText("is a plain page");
        owner.IsAccessible();
        var plain = pages.Source(pages.ForStep(step.Id).Single());
        Assert.DoesNotContain("data-wexil-section", plain, StringComparison.Ordinal);
        after.Open(site.Visitors, "/go/kit");
        after.WaitForText(plain.Contains("Herbs in January", StringComparison.Ordinal) ? "Herbs" : "A harvest");
    }

    [Fact]
    public async Task Two_parts_that_stand_side_by_side_become_a_section_with_the_other_order()
    {
        await using var site = await Site.StartAsync();
        var funnels = site.Host.Services.GetRequiredService<FunnelStore>();
        var funnel = await funnels.CreateAsync("Harvest");
        var step = (await funnels.AddStepAsync(funnel.Id, StepKind.OptIn, "Kit", "kit"))!;
        await site
            .Host.Services.GetRequiredService<PageStore>()
            .AddAsync(step.Id, "Letter", Bundle("<h1>A harvest</h1><p>Grows or your money back.</p>"));

        using var owner = new Browser();
        site.SignIn(owner);
        owner.OpenEditor(site.Studio, "/f/harvest/kit/build/letter", "A harvest");
        owner.ClickIn("[data-page]", "h1");
        owner.Press("Test variations of this element");
        owner.Press("Test the other order");
        owner.WaitForText("Variations of this section");
        // Both parts are in it.
        owner.ClickIn("[data-page]", "p");
        owner.WaitForText("Variations of this section");
        owner.WaitForText("Saved");
        owner.Press("Publish");
        owner.WaitForText("is published");
        owner.Open(site.Studio, "/f/harvest/order-of-headline/build");
        owner.WaitForText("Other order");
        Assert.DoesNotContain("There is no opt-in form", owner.Text, StringComparison.Ordinal);
        owner.IsAccessible();
    }

    [Fact]
    public async Task A_banner_on_an_outside_page_is_painted_once_counted_and_left_alone_when_no_answer_comes()
    {
        await using var site = await Site.StartAsync();
        var (line, slow) = ("", "");
        await using var elsewhere = await Site.ElsewhereAsync(
            _ => new Dictionary<string, string> { ["shop"] = "{{own}}", ["thanks"] = Page(site, "<h1>Thank you</h1>") },
            () => Page(site, $"{slow}{line}<h2 elementtiming=\"first\">Spring sale</h2><p>More of the shop.</p>")
        );
        var home = elsewhere.Urls.Single();
        var (section, test) = await BannerAsync(site, home);
        var origin = site.Visitors.GetLeftPart(UriPartial.Authority);
        line = SectionLoader.For(section.Slug, origin, wait: 10_000);

        // The other version is painted once, and the first never.
        using (var visitor = new Browser())
        {
            visitor.Open(new Uri($"{home}/shop?s=letter"));
            visitor.WaitForText("Free seeds");
            Assert.Equal("second", Painted(visitor));
            await CountedAsync(site, visitor, test, (1, 0));
            // The same visitor sees the same, and the goal is told by the script of the page reached.
            visitor.Open(new Uri($"{home}/shop"));
            visitor.WaitForText("Free seeds");
            visitor.Open(new Uri($"{home}/thanks"));
            await CountedAsync(site, visitor, test, (1, 1));
        }
        // Nobody answers at this address, and then somebody who takes for ever: what stands there stays.
        line = SectionLoader.For(section.Slug, $"http://127.0.0.2:{Site.FreePort()}", wait: 300);
        await StaysAsync(home);
        using var silent = new System.Net.Sockets.TcpListener(System.Net.IPAddress.Loopback, 0);
        silent.Start();
        line = SectionLoader.For(section.Slug, $"http://{silent.LocalEndpoint}", wait: 300);
        await StaysAsync(home);
        Assert.Equal((1, 1), Counted(site, test));

        // Kept, everybody is shown it by the line, and the owner is given the code to paste.
        using (var owner = new Browser())
        {
            site.SignIn(owner);
            owner.Open(site.Studio, $"/f/shop/{section.Slug}/keep");
            owner.Run("document.querySelectorAll('input[name=Kept]')[1].click()");
            owner.Press("Keep chosen variation");
            owner.Press("anyway");
            owner.WaitForText("Replace the element with this");
            owner.IsAccessible();
            Assert.Contains("Free seeds this week", owner.Find("#code").GetAttribute("value"));
        }
        line = SectionLoader.For(section.Slug, origin, wait: 10_000);
        using var later = new Browser();
        later.Open(new Uri($"{home}/shop"));
        later.WaitForText("Free seeds");
        Assert.Equal("second", Painted(later));
        await site.Host.Journal.WhenProjectedAsync();
        Assert.Equal((1, 1), Counted(site, test));
    }

    [Fact]
    public async Task Several_sections_of_an_outside_page_know_a_visitor_as_one_however_the_visitor_came()
    {
        await using var site = await Site.StartAsync();
        var lines = new string[2];
        await using var elsewhere = await Site.ElsewhereAsync(
            _ => new Dictionary<string, string> { ["shop"] = "{{own}}", ["thanks"] = Page(site, "<h1>Thank you</h1>") },
            () => Page(site, $"{lines[0]}<h2 elementtiming=\"first\">Spring sale</h2>{lines[1]}<p>More.</p><p>End</p>")
        );
        var home = elsewhere.Urls.Single();
        var (banner, test) = await BannerAsync(site, home);
        var origin = site.Visitors.GetLeftPart(UriPartial.Authority);
        var funnels = site.Host.Services.GetRequiredService<FunnelStore>();
        var pages = site.Host.Services.GetRequiredService<PageStore>();
        var tests = site.Host.Services.GetRequiredService<TestStore>();
        var shop = funnels.Steps(banner.Funnel)[0];
        var more = (await funnels.AddSectionAsync(shop, "More", "more", SectionMark.AsItStands))!;
        var other = await pages.AddVersionAsync(more.Id, "More to see", "<p>More to see.</p>");
        PageId[] versions = [pages.ForStep(more.Id)[0].Id, other];
        var goal = tests.Find(test)!.Goal;
        var second = (
            await tests.StartAsync(new(more.Id, goal, "More", "", 0.1, 0.2, versions, Weights.Create(0, 100)))
        )!;
        (lines[0], lines[1]) = (
            SectionLoader.For(banner.Slug, origin, wait: 10_000),
            SectionLoader.For(more.Slug, origin, wait: 10_000)
        );

        var goals = site.Host.Services.GetRequiredService<GoalStore>();
        await goals.AddAsync(test, new(GoalKind.Click, "Looked at the seeds") { Element = "h2" });

        var come = 0;
        foreach (var address in new[] { new Uri($"{home}/shop"), new Uri(site.Visitors, "/go/shop") })
        {
            come++;
            using var visitor = new Browser();
            visitor.Open(address);
            visitor.WaitForText("Free seeds");
            visitor.WaitForText("More to see");
            await CountedAsync(site, visitor, test, (come, come - 1));
            await CountedAsync(site, visitor, second.Value, (come, come - 1));
            // The script learns who the visitor is from the section, and then what to watch.
            visitor.WaitFor(() => visitor.Run("return wexil.token") is string { Length: > 0 } ? "" : null);
            visitor.Find("h2").Click();
            visitor.WaitFor(() => Clicked(site, test) == come ? "" : null);
            visitor.Open(new Uri($"{home}/thanks"));
            await CountedAsync(site, visitor, test, (come, come));
            await CountedAsync(site, visitor, second.Value, (come, come));
        }
        var combination = Assert.Single(
            site.Host.Services.GetRequiredService<TallyStore>().Combinations(shop.Id),
            seen => seen.Arm.Visitors > 0
        );
        Assert.Equal((2, 2, 2L), (combination.Versions.Count, combination.Arm.Conversions, combination.Arm.Visitors));
    }

    private static Task StaysAsync(string home)
    {
        using var visitor = new Browser();
        visitor.Open(new Uri($"{home}/shop"));
        visitor.WaitForText("Spring sale");
        Assert.Equal("first", Painted(visitor));
        return Task.CompletedTask;
    }

    private static string Painted(Browser visitor)
    {
        visitor.WaitFor(() => visitor.Run("return painted.join()") is string { Length: > 0 } ? "" : null);
        return (string)visitor.Run("return painted.join()")!;
    }

    private static async Task CountedAsync(Site site, Browser visitor, TestId test, (long, long) counted)
    {
        visitor.WaitFor(() => Counted(site, test) == counted ? "" : null);
        await site.Host.Journal.WhenProjectedAsync();
    }

    private static (long Visitors, long Conversions) Counted(Site site, TestId id)
    {
        var tests = site.Host.Services.GetRequiredService<TestStore>();
        var arms = site
            .Host.Services.GetRequiredService<TallyStore>()
            .Phases(tests.Find(id)!, tests.Phases(id))
            .SelectMany(phase => phase.Arms)
            .ToArray();
        return (arms.Sum(arm => arm.Visitors), arms.Sum(arm => arm.Conversions));
    }

    private static long Clicked(Site site, TestId test) =>
        site.Host.Services.GetRequiredService<TallyStore>().Goals(test).Sum(goal => goal.Visitors);

    private static string Page(Site site, string body)
    {
        var script = $"<script src=\"{site.Visitors.GetLeftPart(UriPartial.Authority)}/wexil.js\" defer></script>";
        return $"<!doctype html><html lang=en><head><title>Shop</title>{script}{Watch}</head>"
            + $"<body>{body}</body></html>";
    }

    private static PageBundle Bundle(string body) =>
        new(
            [
                new(
                    "index.html",
                    System.Text.Encoding.UTF8.GetBytes(
                        $"<!doctype html><html lang=en><head><title>Kit</title></head>"
                            + $"<body><main>{body}</main></body></html>"
                    )
                ),
            ],
            "index.html"
        );

    private static async Task<(Step Section, TestId Test)> BannerAsync(Site site, string home)
    {
        var funnels = site.Host.Services.GetRequiredService<FunnelStore>();
        var pages = site.Host.Services.GetRequiredService<PageStore>();
        var funnel = await funnels.CreateAsync("Shop");
        var step = (await funnels.AddStepAsync(funnel.Id, StepKind.Other, "Shop", "shop"))!;
        var thanks = (await funnels.AddStepAsync(funnel.Id, StepKind.ThankYou, "Thanks", "thanks"))!;
        await pages.AddAsync(step.Id, "Shop", new Uri($"{home}/shop"));
        await pages.AddAsync(thanks.Id, "Thanks", new Uri($"{home}/thanks"));
        // Made as a person does, by the form.
        using var owner = new Browser();
        site.SignIn(owner);
        owner.Open(site.Studio, "/f/shop/shop/build/shop");
        owner.Fill("#SectionName", "Banner");
        owner.Press("Add the section");
        owner.WaitForText("Code for your page");
        owner.IsAccessible();
        var section = funnels.Sections(funnel.Id).Single();
        Assert.Contains(
            SectionLoader.For(section.Slug, site.Visitors.GetLeftPart(UriPartial.Authority), 300),
            owner.Find("textarea").GetAttribute("value")
        );
        var first = pages.ForStep(section.Id).Single().Id;
        var second = await pages.AddVersionAsync(
            section.Id,
            "Free seeds",
            "<h2 elementtiming=\"second\">Free seeds this week</h2>"
        );
        TestPlan plan = new(section.Id, thanks.Id, "Banner", "", 0.1, 0.2, [first, second], Weights.Create(0, 100));
        var test = await site.Host.Services.GetRequiredService<TestStore>().StartAsync(plan);
        return (section, test!.Value);
    }
}
