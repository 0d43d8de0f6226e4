using System.Collections.Concurrent;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using Wexil.App.Installation;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Pages.Source;
using Wexil.Store;

namespace Wexil.Browser.Tests;

/// <summary>
/// Pages on a site of the owner's own, which its software redirects, changes without loading and links from.
/// </summary>
public sealed class OutsideTests
{
    [Fact]
    public async Task Start_lines_act_once_a_load_and_never_send_a_visitor_round_though_the_site_leads_back()
    {
        await using var site = await Site.StartAsync();
        var (asked, lines) = (new ConcurrentQueue<string>(), "");
        await using var elsewhere = await ServeAsync(
            (path, query) =>
            {
                asked.Enqueue(path + query);
                // The variation leads to the control, and the site's software cleans addresses up.
                if (path == "/b" || query.Contains("wx=", StringComparison.Ordinal))
                    return Results.Redirect("/own");
                return Html(lines + lines, "<h1>The owner’s page</h1>");
            }
        );
        var address = elsewhere.Urls.Single();
        var (step, test) = await TestAsync(
            site,
            Weights.Create(0, 100),
            new($"{address}/own"),
            new($"{address}/b"),
            startsOnPage: true
        );
        lines = StartLoader.For(step.Slug, Origin(site), new($"{address}/own"), wait: 30_000);

        using var visitor = new Browser();
        visitor.Open(new Uri($"{address}/own?q=1"));
        visitor.WaitForText("The owner’s page");
        visitor.WaitFor(() => asked.Count(path => path.StartsWith("/own", StringComparison.Ordinal)) >= 2 ? "" : null);
        visitor.WaitForText("The owner’s page");
        await site.Host.Journal.WhenProjectedAsync();
        Assert.Equal((1, 0), Counted(site, test));
        Assert.Equal(["/own?q=1", "/own"], asked.Where(path => path.StartsWith("/own", StringComparison.Ordinal)));
    }

    [Fact]
    public async Task A_test_that_starts_on_the_page_and_a_section_of_it_know_one_visitor()
    {
        await using var site = await Site.StartAsync();
        var (head, line) = ("", "");
        await using var elsewhere = await ServeAsync(
            (path, _) =>
                Html(path == "/own" ? head : Script(site), $"<h1>{path}</h1>{(path == "/own" ? line : "")}<p>Part</p>")
        );
        var address = elsewhere.Urls.Single();
        var (step, test) = await TestAsync(
            site,
            Weights.Create(100, 0),
            new($"{address}/own"),
            new($"{address}/b"),
            startsOnPage: true,
            thanks: new($"{address}/done")
        );
        var tests = site.Host.Services.GetRequiredService<TestStore>();
        var pages = site.Host.Services.GetRequiredService<PageStore>();
        var section = (
            await site
                .Host.Services.GetRequiredService<FunnelStore>()
                .AddSectionAsync(step, "Part", "part", SectionMark.AsItStands)
        )!;
        var other = await pages.AddVersionAsync(section.Id, "Other", "<p>Another part</p>");
        PageId[] versions = [pages.ForStep(section.Id)[0].Id, other];
        TestPlan plan = new(section.Id, tests.Find(test)!.Goal, "Part", "", 0.1, 0.2, versions, Weights.Create(0, 100));
        var part = (await tests.StartAsync(plan))!.Value;
        head = StartLoader.For(step.Slug, Origin(site), new($"{address}/own"), wait: 30_000) + Script(site);
        line = SectionLoader.For("part", Origin(site), wait: 30_000);

        using var visitor = new Browser();
        visitor.Open(new Uri($"{address}/own"));
        visitor.WaitForText("Another part");
        foreach (var counted in new[] { test, part })
            visitor.WaitFor(() => Counted(site, counted) == (1, 0) ? "" : null);
        visitor.Open(new Uri($"{address}/done"));
        foreach (var counted in new[] { test, part })
            visitor.WaitFor(() => Counted(site, counted) == (1, 1) ? "" : null);
    }

    private static string Script(Site site) => $"<script src=\"{Origin(site)}/wexil.js\" defer></script>";

    [Fact]
    public async Task The_script_leaves_the_address_alone_sees_pages_that_are_not_loaded_and_offers_the_token()
    {
        await using var site = await Site.StartAsync();
        var (link, picture) = ("", "");
        await using var elsewhere = await ServeAsync(
            (path, _) =>
                Html(
                    $"<script src=\"{Origin(site)}/wexil.js\" defer></script>",
                    $"""
                    <h1>{path}</h1>{(
                        path == "/done" ? "" : picture
                    )}<form><input type="hidden" name="wx" data-wexil="token"></form>
                    <button onclick="history.pushState(null, '', '/done?order=1')">Next</button>
                    <a href="{link}">Onward</a>
                    """
                )
        );
        var address = elsewhere.Urls.Single();
        var (step, test) = await TestAsync(
            site,
            Weights.Create(100, 0),
            new($"{address}/kit"),
            new($"{address}/b"),
            startsOnPage: false,
            thanks: new($"{address}/done")
        );
        link = $"{Origin(site)}/buy/{site.Host.Services.GetRequiredService<PageStore>().ForStep(step.Id)[0].Slug}";

        var goals = site.Host.Services.GetRequiredService<GoalStore>();
        await goals.AddAsync(test, new(GoalKind.Signal, "Looked"));
        var goal = goals.ForTest(test).Single();
        picture = $"<img data-wexil-src=\"{Origin(site)}/signal/{goal.Key}\" alt=\"\" width=\"1\" height=\"1\">";

        using var visitor = new Browser();
        visitor.Open(site.Visitors, $"/go/{step.Slug}?x=a%20b+c&s=letter&plain#part");
        visitor.WaitForText("/kit");
        visitor.WaitFor(() =>
            visitor.Run("return document.querySelector('input').value") is string { Length: > 20 } token
            && token == (string)visitor.Run("return wexil.token")!
                ? ""
                : null
        );
        Assert.Equal($"{address}/kit?x=a%20b+c&plain#part", visitor.Address);

        // A picture of a goal tells who it was.
        visitor.WaitFor(() =>
            site.Host.Services.GetRequiredService<TallyStore>().Goals(test) is [{ Visitors: 1 } tally]
            && tally.Goal == goal.Id
                ? ""
                : null
        );

        // The site's own software changes the page; the conversion counts, and once.
        visitor.Press("Next");
        visitor.WaitFor(() => Counted(site, test) == (1, 1) ? "" : null);
        visitor.Run("history.replaceState(null, '', '/done?order=1#half-way')");

        // Where the browser keeps the two sites apart, the link brings the visitor along.
        visitor.Open(site.Visitors, "/nothing-here");
        visitor.ForgetCookies();
        visitor.Open(new Uri($"{address}/kit"));
        visitor.WaitFor(() => visitor.Run("return wexil.token") is string { Length: > 20 } ? "" : null);
        visitor.Press("Onward");
        visitor.WaitForText("/done");
        await site.Host.Journal.WhenProjectedAsync();
        Assert.Equal((1, 1), Counted(site, test));
        visitor.Open(site.Visitors, $"/go/{step.Slug}");
        visitor.WaitForText("/kit");
        await site.Host.Journal.WhenProjectedAsync();
        Assert.Equal((1, 1), Counted(site, test));
    }

    [Fact]
    public async Task A_thank_you_page_that_differs_from_its_page_by_the_fragment_alone_is_reached_by_it()
    {
        await using var site = await Site.StartAsync();
        await using var elsewhere = await ServeAsync(
            (_, _) => Html(Script(site), "<h1>Kit</h1><a href=\"#faq\">Questions</a> <a href=\"#thanks\">Send</a>")
        );
        var address = elsewhere.Urls.Single();
        var (step, test) = await TestAsync(
            site,
            Weights.Create(100, 0),
            new($"{address}/app"),
            new($"{address}/b"),
            startsOnPage: false,
            thanks: new($"{address}/app#thanks")
        );
        using var visitor = new Browser();
        visitor.Open(site.Visitors, $"/go/{step.Slug}");
        visitor.WaitFor(() => visitor.Run("return wexil.token") is string { Length: > 20 } ? "" : null);
        visitor.Press("Questions");
        await site.Host.Journal.WhenProjectedAsync();
        Assert.Equal((1, 0), Counted(site, test));
        visitor.Press("Send");
        visitor.WaitFor(() => Counted(site, test) == (1, 1) ? "" : null);
    }

    private static IResult Html(string head, string body) =>
        Results.Content(
            $"<!doctype html><html lang=en><head>{head}<title>Kit</title></head><body>{body}</body></html>",
            "text/html; charset=utf-8"
        );

    private static string Origin(Site site) => site.Visitors.GetLeftPart(UriPartial.Authority);

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

    private static async Task<(Step Step, TestId Test)> TestAsync(
        Site site,
        Weights weights,
        Uri a,
        Uri b,
        bool startsOnPage,
        Uri? thanks = null
    )
    {
        var (funnels, pages) = (
            site.Host.Services.GetRequiredService<FunnelStore>(),
            site.Host.Services.GetRequiredService<PageStore>()
        );
        var funnel = await funnels.CreateAsync(
            "Harvest",
            [
                new(StepKind.Sales, "Kit", "kit", [new FunnelPage("Own", null, a), new FunnelPage("Other", null, b)]),
                new(
                    StepKind.ThankYou,
                    "Thanks",
                    "thanks",
                    [
                        thanks is null
                            ? new FunnelPage("Thanks", PageBundle.OneFile("<h1>Thanks</h1>"), null)
                            : new FunnelPage("Thanks", null, thanks),
                    ]
                ),
            ]
        );
        var step = funnels.Steps(funnel.Id)[0];
        await funnels.SetStartAsync(step.Id, startsOnPage, Step.DefaultStartWait);
        var test = await site
            .Host.Services.GetRequiredService<TestStore>()
            .StartAsync(
                new(
                    step.Id,
                    funnels.Steps(funnel.Id)[1].Id,
                    "Own",
                    "",
                    0.2,
                    0.2,
                    [.. pages.ForStep(step.Id).Select(page => page.Id)],
                    weights
                )
            );
        return (step, test!.Value);
    }

    private static async Task<WebApplication> ServeAsync(Func<string, string, IResult> answer)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls($"http://127.0.0.2:{Site.FreePort()}");
        var app = builder.Build();
        app.MapGet("/{page}", (string page, HttpRequest request) =>
            answer($"/{page}", request.QueryString.Value ?? "")
        );
        await app.StartAsync();
        return app;
    }
}
