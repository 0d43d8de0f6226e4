using System.Net;
using System.Net.Http.Json;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.Logging;
using Wexil.App;
using Wexil.App.Installation;
using Wexil.App.Monitoring;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.Web.Tests;

/// <summary>Tests that start on a page of the owner's own site.</summary>
public sealed partial class OutsideStartTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task Who_stayed_on_the_own_page_gets_that_page_by_the_link_too_and_counts_once()
    {
        var (step, test, _) = await TestAsync("stays", Weights.Create(50, 50), startsOnPage: true);
        var stayed = 0;
        for (var i = 0; i < 12; i++)
        {
            using var visitor = wexil.Visitor();
            var (id, move, proof) = await AskAsync(visitor, step.Slug, "");
            if (move.Length > 0)
                continue;
            stayed++;
            await visitor.PostAsync($"/start/{step.Slug}/stayed", new StringContent(proof));
            var linked = await visitor.GetAsync($"/go/{step.Slug}");
            Assert.StartsWith(
                "https://larkrow.example/stays",
                linked.Headers.Location?.AbsoluteUri,
                StringComparison.Ordinal
            );
            Assert.Equal(id, (await AskAsync(visitor, step.Slug, "")).Id);
        }
        Assert.InRange(stayed, 1, 11);
        Assert.Equal((stayed, 0), await wexil.CountedAsync(test));
    }

    [Fact]
    public async Task Who_is_known_by_the_link_keeps_that_page_on_the_own_page()
    {
        var (step, test, _) = await TestAsync("known", Weights.Create(50, 50), startsOnPage: true);
        for (var i = 0; i < 8; i++)
        {
            using var visitor = wexil.Visitor();
            var isControl = (await visitor.GetAsync($"/go/{step.Slug}")).StatusCode == HttpStatusCode.Redirect;
            // The site may know the browser by an id of its own from an earlier time.
            var (_, move, _) = await AskAsync(visitor, step.Slug, Id(i).ToString());
            Assert.Equal(isControl, move.Length == 0);
        }
        Assert.Equal((8, 0), await wexil.CountedAsync(test));
    }

    [Fact]
    public async Task Two_ids_of_one_browser_are_one_visitor_once_it_goes_from_the_own_page_to_the_link()
    {
        var (step, test, pages) = await TestAsync("joined", Weights.Create(0, 100), startsOnPage: true);
        using HttpClient link = wexil.Visitor(),
            site = wexil.Visitor(cookies: false);
        await link.GetAsync($"/go/{step.Slug}");
        // A browser that keeps the two sites apart asks without our cookie, and is moved on with its own id.
        var there = Id(40);
        var (_, move, _) = await AskAsync(site, step.Slug, there.ToString());
        Assert.Contains("Page B", await link.GetStringAsync(new Uri(move).PathAndQuery), StringComparison.Ordinal);
        Assert.Equal((1, 0), await wexil.CountedAsync(test));
        // What the site tells by its id is now the visitor's, and the site learns by which id that is.
        var answer = await (
            await site.PostAsync(
                "/reached",
                JsonContent.Create(new { page = pages.Thanks.Outside!.AbsoluteUri, visitor = there.ToString() })
            )
        ).Content.ReadFromJsonAsync<ReachedAnswer>();
        Assert.NotEqual(there.ToString(), answer!.Visitor);
        Assert.Equal((1, 1), await wexil.CountedAsync(test));
        Assert.Equal(answer.Visitor, (await AskAsync(site, step.Slug, there.ToString())).Id);
    }

    [Fact]
    public async Task An_address_that_is_handed_on_to_somebody_else_joins_nobody()
    {
        var (step, _, pages) = await TestAsync("handed-on", Weights.Create(0, 100), startsOnPage: true);
        using HttpClient site = wexil.Visitor(cookies: false),
            mover = wexil.Visitor(),
            friend = wexil.Visitor(),
            owner = wexil.Visitor();
        await friend.GetAsync($"/go/{step.Slug}-thanks");
        async Task<string> KnownAsAsync(VisitorId id) =>
            (
                await (
                    await site.PostAsync(
                        "/reached",
                        JsonContent.Create(new { page = pages.Thanks.Outside!.AbsoluteUri, visitor = id.ToString() })
                    )
                ).Content.ReadFromJsonAsync<ReachedAnswer>()
            )!.Visitor;
        // The first comes with the site's id alone; the second is a visitor here already, and is joined.
        foreach (var (first, id) in new[] { (mover, Id(70)), (owner, Id(71)) })
        {
            if (first == owner)
                await owner.GetAsync($"/go/{step.Slug}-thanks");
            var (_, move, _) = await AskAsync(site, step.Slug, id.ToString());
            await first.GetAsync(new Uri(move).PathAndQuery);
            var known = await KnownAsAsync(id);
            await friend.GetAsync(new Uri(move).PathAndQuery);
            Assert.Equal(known, await KnownAsAsync(id));
        }
    }

    [Fact]
    public async Task A_page_that_is_the_same_address_as_the_control_moves_nobody_in_a_circle()
    {
        var (step, _, _) = await TestAsync(
            "circle",
            Weights.Create(0, 100),
            startsOnPage: true,
            outsideB: new("https://larkrow.example/circle")
        );
        using var visitor = wexil.Visitor();
        Assert.Equal("", (await AskAsync(visitor, step.Slug, "")).Move);
    }

    [Fact]
    public async Task Start_lines_are_shown_and_checked_before_a_test_runs_and_only_where_the_owner_chose_them()
    {
        var served = "<head></head><h1>Kit</h1>";
        await using var site = await ServeAsync(_ => Results.Content(served, "text/html"));
        var funnel = await wexil.Get<FunnelStore>().CreateAsync("Lines");
        var step = (await wexil.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.Sales, "Lines", "lines"))!;
        await wexil.Get<PageStore>().AddAsync(step.Id, "Own", new Uri(site.Urls.Single() + "/own"));
        using var owner = await wexil.OwnerAsync();
        var (send, wiring) = ($"/f/{funnel.Slug}/lines/send", $"/f/{funnel.Slug}/wiring");
        Assert.DoesNotContain("wexilStart", await owner.GetStringAsync(send), StringComparison.Ordinal);
        foreach (
            var (wait, says) in new[]
            {
                ("99", "Enter 100 to 2,000 milliseconds."),
                ("2001", "Enter 100 to 2,000 milliseconds."),
                ("", "milliseconds"),
            }
        )
            Assert.Contains(
                says,
                await (
                    await WexilFixture.PostAsync(
                        owner,
                        send,
                        "StartOnPage",
                        ("StartsOnPage", "true"),
                        ("StartWait", wait)
                    )
                ).Content.ReadAsStringAsync(),
                StringComparison.Ordinal
            );
        await WexilFixture.PostAsync(owner, send, "StartOnPage", ("StartsOnPage", "true"), ("StartWait", "450"));
        var lines = WebUtility.HtmlDecode(Area().Match(await owner.GetStringAsync(send)).Groups[1].Value);
        Assert.EndsWith(",450)</script>", lines, StringComparison.Ordinal);

        // While private addresses are not asked, it is said that nothing was looked at.
        await WexilFixture.PostAsync(owner, wiring, "Check");
        Assert.Contains(
            "Nothing was checked. 1 page at a private address",
            await owner.GetStringAsync(wiring),
            StringComparison.Ordinal
        );
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        await WexilFixture.PostAsync(owner, wiring, "Check");
        Assert.Contains(
            "The start code is not on the page.",
            await owner.GetStringAsync(wiring),
            StringComparison.Ordinal
        );
        // A second look within the same second is another look.
        served = $"<head>{lines}{wexil.Get<ScriptInstallation>().Line}</head><h1>Kit</h1>";
        await WexilFixture.PostAsync(owner, wiring, "Check");
        Assert.Contains("1 page checked: no problems.", await owner.GetStringAsync(wiring), StringComparison.Ordinal);

        // Who looks after the site sees the chosen pages, and the start lines only as long as the test starts there.
        Assert.Equal(["Chosen"], await Refusals.OfAsync(await WexilFixture.PostAsync(owner, wiring, "Share")));
        var other = await wexil
            .Get<PageStore>()
            .AddAsync(step.Id, "Hidden from helpers", new Uri(site.Urls.Single() + "/other"));
        await WexilFixture.PostAsync(
            owner,
            wiring,
            "Share",
            ("Chosen", $"{wexil.Get<PageStore>().ForStep(step.Id)[0].Id.Value}")
        );
        var link = Link().Match(await owner.GetStringAsync(wiring)).Value;
        using var helper = wexil.Visitor();
        var shown = await helper.GetStringAsync(link);
        Assert.Contains("wexilStart", shown, StringComparison.Ordinal);
        Assert.DoesNotContain("Hidden from helpers", shown, StringComparison.Ordinal);
        Assert.Equal(
            HttpStatusCode.NotFound,
            (await helper.PostAsync($"{link}/check/{wexil.Get<PageStore>().Find(other)!.Slug}", null)).StatusCode
        );
        await WexilFixture.PostAsync(owner, send, "StartOnPage", ("StartsOnPage", "false"), ("StartWait", "450"));
        Assert.DoesNotContain("wexilStart", await helper.GetStringAsync(link), StringComparison.Ordinal);
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(false);
    }

    [Fact]
    public async Task A_thank_you_page_that_redirects_counts_where_it_leads_once_a_check_has_followed_it()
    {
        await using var site = await ServeAsync(path =>
            path == "/thanks" ? Results.Redirect("/done?order=1") : Results.Content("<h1>Done</h1>", "text/html")
        );
        var tested = await wexil.StartTestAsync("led", outsideThanks: new(site.Urls.Single() + "/thanks"));
        using HttpClient visitor = wexil.Visitor(),
            owner = await wexil.OwnerAsync();
        var id = Id(60);
        await visitor.GetAsync($"/go/led?wx={wexil.Get<VisitorToken>().Issue(id, wexil.Time.GetUtcNow())}");
        Task<HttpResponseMessage> Done() =>
            visitor.PostAsync(
                "/reached",
                JsonContent.Create(new { page = site.Urls.Single() + "/done?order=77", visitor = id.ToString() })
            );
        await Done();
        Assert.Equal((1, 0), await wexil.CountedAsync(tested.Test));
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        await WexilFixture.PostAsync(owner, $"/f/{tested.Funnel.Slug}/wiring", "Check");
        Assert.Contains(
            "/done?order=1. Visitors are counted there.",
            await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/wiring"),
            StringComparison.Ordinal
        );
        await Done();
        Assert.Equal((1, 1), await wexil.CountedAsync(tested.Test));
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(false);
    }

    [Fact]
    public async Task The_watch_over_outside_pages_follows_a_redirect_by_itself()
    {
        await using var site = await ServeAsync(path =>
            path == "/kit" ? Results.Redirect("/kit-2040") : Results.Content("<h1>Kit</h1>", "text/html")
        );
        var (_, _, pages) = await TestAsync(
            "watched",
            Weights.Create(50, 50),
            startsOnPage: false,
            outsideB: new(site.Urls.Single() + "/kit")
        );
        RoutePage? Found() => wexil.Get<Routes>().Current.OutsidePage(new(site.Urls.Single() + "/kit-2040?x=1"));
        Assert.Null(Found());
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        await wexil.Get<PageMonitor>().LookAsync(CancellationToken.None);
        Assert.Equal(pages.B.Id, Found()?.Id);
        // Another address is another page, until it is looked at.
        await wexil.Get<PageStore>().ChangeOutsideAsync(pages.B.Id, pages.B.Name, new(site.Urls.Single() + "/else"));
        Assert.Null(Found());
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(false);
    }

    [Fact]
    public async Task A_page_that_gets_a_name_or_an_address_that_is_there_already_is_told_apart_or_said_to_be_the_same()
    {
        var (step, _, pages) = await TestAsync(
            "twins",
            Weights.Create(50, 50),
            startsOnPage: false,
            outsideB: new("https://larkrow.example/twin-b")
        );
        using var owner = await wexil.OwnerAsync();
        var edit = $"/f/twins/{step.Slug}/build/{pages.B.Slug}";
        Assert.Contains($"/buy/{pages.B.Slug}", await owner.GetStringAsync(edit), StringComparison.Ordinal);
        var asks = await (
            await WexilFixture.PostAsync(
                owner,
                edit,
                "Save",
                ("Name", "twins a"),
                ("Address", "https://larkrow.example/twins")
            )
        ).Content.ReadAsStringAsync();
        Assert.Contains("A new address starts a new phase", asks, StringComparison.Ordinal);
        Assert.Equal("twins b", wexil.Get<PageStore>().Find(pages.B.Id)!.Name);
        await WexilFixture.PostAsync(
            owner,
            edit,
            "Save",
            ("Name", "twins a"),
            ("Address", "https://larkrow.example/twins"),
            ("IsConfirmed", "true")
        );
        var done = WebUtility.HtmlDecode(await owner.GetStringAsync($"/f/twins/{step.Slug}/build"));
        Assert.Contains("“twins a 2” saved. “twins a” has the same address", done, StringComparison.Ordinal);

        // A page of another funnel may have it too.
        var (elsewhere, _, _) = await TestAsync("third", Weights.Create(50, 50), startsOnPage: false);
        await WexilFixture.PostAsync(
            owner,
            $"/f/third/{elsewhere.Slug}/build/add",
            "Outside",
            ("Outside", "https://larkrow.example/twins")
        );
        done = WebUtility.HtmlDecode(await owner.GetStringAsync($"/f/third/{elsewhere.Slug}/build"));
        Assert.Contains("in the funnel “twins” has the same address", done, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_steps_own_link_and_a_circle_of_links_are_refused_wherever_an_address_is_typed()
    {
        var tested = await wexil.StartTestAsync(
            "loops",
            outsideThanks: new($"{wexil.Get<VisitorsAddress>().Origin}/go/loops")
        );
        using var owner = await wexil.OwnerAsync();
        var origin = wexil.Get<VisitorsAddress>().Origin;
        var before = wexil.Get<PageStore>().ForStep(tested.Step.Id).Count;
        async Task Says(string words, string page, string handler, params (string, string)[] fields) =>
            Assert.Contains(
                words,
                WebUtility.HtmlDecode(
                    await (await WexilFixture.PostAsync(owner, page, handler, fields)).Content.ReadAsStringAsync()
                ),
                StringComparison.Ordinal
            );
        await Says(
            "the step’s own link",
            $"/f/{tested.Funnel.Slug}/loops/build/add",
            "Outside",
            ("Outside", $"{origin}/go/loops")
        );
        await Says(
            "This redirects in a loop: /go/loops-thanks → /go/loops.",
            $"/f/{tested.Funnel.Slug}/loops/build/add",
            "Outside",
            ("Outside", $"{origin}/go/loops-thanks")
        );
        await Says(
            "the step’s own link",
            $"/f/{tested.Funnel.Slug}/loops-thanks/build/{tested.End.Slug}",
            "Save",
            ("Name", "End"),
            ("Address", $"{origin}/go/loops-thanks")
        );
        await Says(
            "the step’s own link",
            $"/f/{tested.Funnel.Slug}/steps",
            "Archive",
            ("id", $"{tested.Thanks.Id.Value}"),
            ("forward", $"{origin}/go/loops-thanks")
        );
        Assert.Equal(before, wexil.Get<PageStore>().ForStep(tested.Step.Id).Count);
        Assert.EndsWith(
            "/go/loops",
            wexil.Get<PageStore>().Find(tested.End.Id)!.Outside!.AbsoluteUri,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Buy_and_no_links_work_from_outside_pages_and_know_who_comes()
    {
        var (step, test, pages) = await TestAsync("buys", Weights.Create(100, 0), startsOnPage: true);
        using HttpClient site = wexil.Visitor(cookies: false),
            visitor = wexil.Visitor();
        var (_, _, proof) = await AskAsync(site, step.Slug, "");
        await site.PostAsync($"/start/{step.Slug}/stayed", new StringContent(proof));
        var token = proof.Split(' ')[1];
        var onward = (await visitor.GetAsync($"/buy/{pages.A.Slug}?wx={token}&pack=2"))
            .Headers
            .Location!
            .OriginalString;
        Assert.Equal($"/go/buys-thanks?wx={token}&pack=2", onward);
        var thanks = (await visitor.GetAsync(onward)).Headers.Location!;
        Assert.StartsWith($"{pages.Thanks.Outside}?pack=2&wx=", thanks.AbsoluteUri, StringComparison.Ordinal);
        Assert.Equal((1, 1), await wexil.CountedAsync(test));
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync($"/no/{pages.Thanks.Slug}")).StatusCode);
    }

    [Fact]
    public async Task The_source_stops_at_a_new_steps_link_and_other_parameters_go_on()
    {
        var (step, _, _) = await TestAsync("carried", Weights.Create(100, 0), startsOnPage: false);
        using var visitor = wexil.Visitor();
        var to = (await visitor.GetAsync($"/go/{step.Slug}?s=ad&gclid=7")).Headers.Location!.Query;
        Assert.StartsWith("?gclid=7&wx=", to, StringComparison.Ordinal);
        using var owner = await wexil.OwnerAsync();
        var send = $"/f/carried/{step.Slug}/send";
        Assert.Equal(
            ["CarryNames"],
            await Refusals.OfAsync(
                await WexilFixture.PostAsync(owner, send, "Link", ("Carries", "Only"), ("CarryNames", ""))
            )
        );
        await WexilFixture.PostAsync(owner, send, "Link", ("Carries", "Only"), ("CarryNames", "s"));
        Assert.StartsWith(
            "?s=ad&wx=",
            (await visitor.GetAsync($"/go/{step.Slug}?s=ad&gclid=7")).Headers.Location!.Query,
            StringComparison.Ordinal
        );
    }

    private sealed record ReachedAnswer(string Visitor, string Token);

    private sealed record OutsidePages(Page A, Page B, Page Thanks);

    private static VisitorId Id(int seed) =>
        VisitorId.New(new(2040, 11, 8, 0, 0, 0, TimeSpan.Zero), new SeededChance(seed));

    /// <summary>What the lines in the own page are told.</summary>
    private static async Task<(string Id, string Move, string Proof)> AskAsync(
        HttpClient visitor,
        string slug,
        string own
    )
    {
        var told = Told().Match(await visitor.GetStringAsync($"/start/{slug}.js?wx={own}&at="));
        return (told.Groups[1].Value, Regex.Unescape(told.Groups[2].Value), Regex.Unescape(told.Groups[3].Value));
    }

    private async Task<(Step Step, TestId Test, OutsidePages Pages)> TestAsync(
        string slug,
        Weights weights,
        bool startsOnPage,
        Uri? outsideB = null
    )
    {
        var funnel = await wexil.Get<FunnelStore>().CreateAsync(slug);
        var step = (await wexil.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.Sales, slug, slug))!;
        var thanks = (
            await wexil.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.ThankYou, "Thanks", slug + "-thanks")
        )!;
        var pages = wexil.Get<PageStore>();
        var a = await pages.AddAsync(step.Id, slug + " a", new Uri($"https://larkrow.example/{slug}"));
        var b = outsideB is null
            ? await pages.AddAsync(step.Id, slug + " b", WexilFixture.Bundle("<h1>Page B</h1>"))
            : await pages.AddAsync(step.Id, slug + " b", outsideB);
        var end = await pages.AddAsync(thanks.Id, slug + " end", new Uri($"https://larkrow.example/{slug}-thanks"));
        await wexil.Get<FunnelStore>().SetStartAsync(step.Id, startsOnPage, 300);
        var test = await wexil
            .Get<TestStore>()
            .StartAsync(new(step.Id, thanks.Id, slug, "", 0.2, 0.2, [a, b], weights));
        return (step, test!.Value, new(pages.Find(a)!, pages.Find(b)!, pages.Find(end)!));
    }

    private static async Task<WebApplication> ServeAsync(Func<string, IResult> answer)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls($"http://127.0.0.1:{WexilFixture.FreePort()}");
        var app = builder.Build();
        app.MapGet("/{page}", (string page) => answer($"/{page}"));
        await app.StartAsync();
        return app;
    }

    [GeneratedRegex("""^wexilStart\("(.*)","(.*)","(.*)"\)$""")]
    private static partial Regex Told();

    [GeneratedRegex("""<textarea[^>]*aria-label="Code to paste[^>]*>([^<]*)</textarea>""")]
    private static partial Regex Area();

    [GeneratedRegex("/share/[0-9a-f]{40}")]
    private static partial Regex Link();
}
