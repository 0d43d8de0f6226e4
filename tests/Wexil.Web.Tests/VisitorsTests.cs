using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.Data.Sqlite;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Tests;
using Wexil.Web.Visitors;

namespace Wexil.Web.Tests;

/// <summary>The public contracts.</summary>
public sealed class VisitorsTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task Shared_documents_bring_their_typefaces_from_here()
    {
        using var reader = wexil.Visitor();
        foreach (var name in new[] { "text", "head" })
        {
            using var font = await reader.GetAsync($"/fonts/{name}.woff2");
            Assert.Equal("font/woff2", font.Content.Headers.ContentType!.ToString());
            Assert.StartsWith("wOF2", System.Text.Encoding.ASCII.GetString(await font.Content.ReadAsByteArrayAsync()));
        }
        Assert.Equal(HttpStatusCode.NotFound, (await reader.GetAsync("/fonts/other.woff2")).StatusCode);
    }

    [Fact]
    public async Task A_link_enrols_once_and_always_shows_the_same_visitor_the_same_page()
    {
        var tested = await wexil.StartTestAsync("sticky");
        var seen = new HashSet<string>();
        for (var i = 0; i < 24; i++)
        {
            using var visitor = wexil.Visitor();
            var first = await visitor.GetAsync("/go/sticky");
            Assert.Equal(HttpStatusCode.OK, first.StatusCode);
            Assert.Equal("no-store", first.Headers.CacheControl!.ToString());
            var page = await first.Content.ReadAsStringAsync();
            seen.Add(page);
            Assert.Equal(page, await visitor.GetStringAsync("/go/sticky"));
            await wexil.Host.Journal.WhenProjectedAsync();
            await wexil
                .Get<TestStore>()
                .ChangeWeightsAsync(tested.Test, Weights.Create(i % 2 * 100, 100 - i % 2 * 100));
            Assert.Equal(page, await visitor.GetStringAsync("/go/sticky"));
        }
        Assert.Equal(2, seen.Count);
        Assert.Equal((24, 0), await wexil.CountedAsync(tested.Test));
    }

    [Fact]
    public async Task Requests_at_the_same_moment_with_one_cookie_are_one_visitor()
    {
        var tested = await wexil.StartTestAsync("double");
        using var visitor = wexil.Visitor();
        await visitor.GetAsync("/go/double-thanks");
        var pages = await Task.WhenAll(Enumerable.Range(0, 20).Select(_ => visitor.GetStringAsync("/go/double")));
        Assert.Single(pages.Distinct());
        Assert.Equal((1, 0), await wexil.CountedAsync(tested.Test));
    }

    [Fact]
    public async Task Reaching_the_hosted_thank_you_page_is_one_conversion_however_it_is_reached()
    {
        var tested = await wexil.StartTestAsync("hosted");
        using var visitor = wexil.Visitor();
        await visitor.GetAsync("/go/hosted");
        await visitor.GetAsync($"/p/{tested.End.Slug}/?try=1");
        Assert.Equal((1, 0), await wexil.CountedAsync(tested.Test));
        await visitor.GetAsync($"/p/{tested.End.Slug}/");
        await visitor.GetAsync("/go/hosted-thanks");
        using var stranger = wexil.Visitor();
        await stranger.GetAsync("/go/hosted-thanks");
        Assert.Equal((1, 1), await wexil.CountedAsync(tested.Test));
    }

    [Fact]
    public async Task An_outside_page_is_reached_through_the_script_with_the_token_first_and_the_own_cookie_after()
    {
        var tested = await wexil.StartTestAsync(
            "outside",
            Weights.Create(0, 100),
            new("https://shop.larkrow.example/b?own=1"),
            new("https://shop.larkrow.example/thanks")
        );
        using var visitor = wexil.Visitor();
        var sent = (await visitor.GetAsync("/go/outside?s=letter&q=a%20b")).Headers.Location!;
        Assert.StartsWith("https://shop.larkrow.example/b?own=1&q=a%20b&wx=", sent.OriginalString);
        Assert.Contains($"&wx_test={tested.Test.Value}&wx_page=outside-b", sent.Query);
        var token = System.Web.HttpUtility.ParseQueryString(sent.Query)["wx"];

        using var site = wexil.Visitor(cookies: false);
        var told = await Tell(site, new { page = sent.ToString(), wx = token });
        Assert.Equal("*", told.Headers.GetValues("Access-Control-Allow-Origin").Single());
        var own = (await told.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("visitor").GetString();
        Assert.Equal((1, 0), await wexil.CountedAsync(tested.Test));

        // Ten minutes later the token is over, but the site's own cookie goes on.
        wexil.Time.Advance(TimeSpan.FromMinutes(11));
        Assert.Equal(
            HttpStatusCode.NoContent,
            (await Tell(site, new { page = "https://shop.larkrow.example/thanks", wx = token })).StatusCode
        );
        Assert.Equal((1, 0), await wexil.CountedAsync(tested.Test));
        await Tell(
            site,
            new
            {
                page = "https://shop.larkrow.example/thanks?order=7#top",
                visitor = own,
                wx = token,
            }
        );
        Assert.Equal((1, 1), await wexil.CountedAsync(tested.Test));
    }

    [Fact]
    public async Task A_thank_you_page_of_two_funnels_counts_in_the_one_that_the_visitor_came_through_last()
    {
        Uri shop = new("https://shop.larkrow.example/shared/"),
            thanks = new(shop, "thanks");
        var first = await wexil.StartTestAsync("sharing", Weights.Create(0, 100), new(shop, "first"), thanks);
        var second = await wexil.StartTestAsync("shared", Weights.Create(0, 100), new(shop, "second"), thanks);
        using var visitor = wexil.Visitor();
        using var site = wexil.Visitor(cookies: false);
        async Task Convert(string link)
        {
            await Tell(site, new { page = thanks.AbsoluteUri, wx = await TokenOf(visitor, link) });
            wexil.Time.Advance(TimeSpan.FromMinutes(1));
        }

        await Convert("/go/shared");
        Assert.Equal((0, 0), await wexil.CountedAsync(first.Test));
        Assert.Equal((1, 1), await wexil.CountedAsync(second.Test));
        await Convert("/go/sharing");
        Assert.Equal((1, 1), await wexil.CountedAsync(first.Test));
        // What is only in the file is the same, and so it is once everything is counted again.
        var known = wexil.Get<VisitorToken>().ReadAnyAge(await TokenOf(visitor, "/go/shared"))!.Value;
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal([second.Funnel.Id, first.Funnel.Id], wexil.Get<Database>().FunnelsOf(known));
        await wexil.Host.Journal.RecountAsync();
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal([second.Funnel.Id, first.Funnel.Id], wexil.Get<Database>().FunnelsOf(known));

        // Once its funnel is archived, nothing counts there any more.
        await wexil.Get<FunnelStore>().ArchiveAsync(first.Funnel.Id, archived: true);
        using var other = wexil.Visitor();
        await Tell(site, new { page = thanks.AbsoluteUri, wx = await TokenOf(other, "/go/sharing") });
        Assert.Equal((2, 1), await wexil.CountedAsync(first.Test));
    }

    private static async Task<string?> TokenOf(HttpClient visitor, string link) =>
        System.Web.HttpUtility.ParseQueryString((await visitor.GetAsync(link)).Headers.Location!.Query)["wx"];

    private static Task<HttpResponseMessage> Tell(HttpClient site, object message) =>
        site.PostAsync("/reached", new StringContent(JsonSerializer.Serialize(message)));

    [Fact]
    public async Task An_own_cookie_wins_over_a_token_that_came_in_a_forwarded_address()
    {
        await wexil.StartTestAsync("forwarded", Weights.Create(0, 100), new("https://shop.larkrow.example/forwarded"));
        using var first = wexil.Visitor();
        var token = System.Web.HttpUtility.ParseQueryString(
            (await first.GetAsync("/go/forwarded")).Headers.Location!.Query
        )["wx"];
        using var friend = wexil.Visitor(cookies: false);
        using var request = new HttpRequestMessage(HttpMethod.Get, $"/go/forwarded?wx={token}");
        var own = VisitorId.New(wexil.Time.GetUtcNow(), new SeededChance(99)).ToString();
        request.Headers.Add("Cookie", $"{VisitorId.CookieName}={own}");
        var answer = await friend.SendAsync(request);
        Assert.False(answer.Headers.Contains("Set-Cookie"));
        using var bare = wexil.Visitor(cookies: false);
        Assert.Contains(
            wexil.Get<VisitorToken>().Read(token, wexil.Time.GetUtcNow())!.Value.ToString(),
            (await bare.GetAsync($"/go/forwarded?wx={token}")).Headers.GetValues("Set-Cookie").Single()
        );
    }

    [Fact]
    public async Task A_hosted_page_finds_its_files_from_the_link_and_from_its_own_address()
    {
        var tested = await wexil.StartTestAsync("files", Weights.Create(100, 0));
        using var visitor = wexil.Visitor();
        var css = $"/p/{tested.A.Slug}/css/a.css";
        Assert.Contains($"href={css}", await visitor.GetStringAsync("/go/files"));
        Assert.Contains($"href={css}", await visitor.GetStringAsync($"/p/{tested.A.Slug}/?try=1"));
        var file = await visitor.GetAsync(css);
        Assert.Equal("text/css", file.Content.Headers.ContentType!.MediaType);
        using var again = new HttpRequestMessage(HttpMethod.Get, css);
        again.Headers.IfNoneMatch.Add(file.Headers.ETag!);
        Assert.Equal(HttpStatusCode.NotModified, (await visitor.SendAsync(again)).StatusCode);
        using var worker = new HttpRequestMessage(HttpMethod.Get, css);
        worker.Headers.Add("Service-Worker", "script");
        Assert.Equal(HttpStatusCode.Forbidden, (await visitor.SendAsync(worker)).StatusCode);
    }

    [Fact]
    public async Task An_opt_in_is_recorded_and_leads_to_the_next_step()
    {
        var tested = await wexil.StartTestAsync("join", Weights.Create(100, 0));
        using var visitor = wexil.Visitor();
        Assert.Contains($"action=\"/p/{tested.A.Slug}/opt-in\"", await visitor.GetStringAsync("/go/join"));
        async Task<HttpResponseMessage> Send(string email) =>
            await visitor.PostAsync($"/p/{tested.A.Slug}/opt-in", new FormUrlEncodedContent([new("email", email)]));
        Assert.Equal(HttpStatusCode.BadRequest, (await Send("not an address")).StatusCode);
        var answer = await Send("ann@larkrow.example");
        Assert.Equal(
            (HttpStatusCode.SeeOther, "/go/join-thanks"),
            (answer.StatusCode, answer.Headers.Location!.ToString())
        );
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Single(wexil.Get<PeopleStore>().Find(new(), 50), lead =>
            lead.Email == "ann@larkrow.example" && lead.Page == tested.A.Name
        );
    }

    [Fact]
    public async Task Keeping_a_page_shows_it_to_everybody_from_the_next_request_and_taking_it_back_undoes_that()
    {
        var tested = await wexil.StartTestAsync("keeping", Weights.Create(100, 0));
        using var before = wexil.Visitor();
        Assert.Contains("Page A", await before.GetStringAsync("/go/keeping"));
        using var owner = await wexil.OwnerAsync();
        var keep = $"/f/{tested.Funnel.Slug}/keeping/keep";
        await WexilFixture.PostAsync(
            owner,
            keep,
            "Keep",
            ("Kept", tested.B.Id.Value.ToString()),
            ("Confirmed", "true")
        );
        Assert.Contains("Page B", await before.GetStringAsync("/go/keeping"));
        using var meanwhile = wexil.Visitor();
        Assert.Contains("Page B", await meanwhile.GetStringAsync("/go/keeping"));
        Assert.Contains("is shown to everyone", await owner.GetStringAsync(keep));

        await wexil.Host.Journal.WhenProjectedAsync();
        await WexilFixture.PostAsync(owner, keep, "TakeBack");
        using var after = wexil.Visitor();
        Assert.Contains("Page A", await after.GetStringAsync("/go/keeping"));
        Assert.Contains("Page A", await before.GetStringAsync("/go/keeping"));
        Assert.Contains("Page B", await meanwhile.GetStringAsync("/go/keeping"));
        Assert.Equal((2, 0), await wexil.CountedAsync(tested.Test));
    }

    [Fact]
    public async Task A_store_that_is_not_well_keeps_no_visitor_from_the_page()
    {
        var tested = await wexil.StartTestAsync("unwell");
        using var visitor = wexil.Visitor();
        using var owner = await wexil.OwnerAsync();
        using (
            var other = new SqliteConnection(
                $"Data Source={Path.Combine(wexil.Host.Options.Data, "wexil.db")};Pooling=false"
            )
        )
        {
            other.Open();
            using var holds = other.BeginTransaction(deferred: false);
            var first = await visitor.GetStringAsync("/go/unwell");
            Assert.Equal(first, await visitor.GetStringAsync("/go/unwell"));
            await Eventually.HoldsAsync(() => wexil.Host.Journal.Health.Trouble is not null);
            Assert.Contains("Wexil cannot save data", await owner.GetStringAsync("/"));
            var refused = await WexilFixture.PostAsync(
                owner,
                "/funnels/new",
                "",
                ("Name", "Not now"),
                ("Starter", "empty")
            );
            Assert.Contains("could not be saved", await refused.Content.ReadAsStringAsync());
        }
        await Eventually.HoldsAsync(() => wexil.Host.Journal.Health is { IsWell: true, Waiting: 0 });
        Assert.Equal((1, 0), await wexil.CountedAsync(tested.Test));
        Assert.DoesNotContain("Wexil cannot save data", await owner.GetStringAsync("/"));
    }

    [Fact]
    public async Task A_request_is_answered_from_the_table_that_it_began_with()
    {
        var (began, ended) = (RouteTable.Empty, RouteTable.Empty);
        var door = new ApplicationBuilder(wexil.Host.Services);
        door.UseOneTableARequest();
        door.Run(async http =>
        {
            began = http.Routes();
            await wexil.Get<SettingStore>().SetAffiliateParameterAsync("partner");
            ended = http.Routes();
        });
        await door.Build()(new DefaultHttpContext());
        Assert.Same(began, ended);
        Assert.NotSame(began, wexil.Get<Routes>().Current);
    }

    [Fact]
    public async Task What_does_not_exist_is_a_plain_page_and_looking_without_a_reader_counts_nothing()
    {
        using var visitor = wexil.Visitor();
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync("/go/nothing")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync("/p/nothing/")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync("/draft/forged")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync("/sign-in")).StatusCode);
        Assert.Equal(
            HttpStatusCode.BadRequest,
            (await visitor.PostAsync("/reached", new StringContent("{"))).StatusCode
        );
        var tested = await wexil.StartTestAsync("asked");
        Assert.Equal(HttpStatusCode.OK, (await visitor.SendAsync(new(HttpMethod.Head, "/go/asked"))).StatusCode);
        Assert.Equal((0, 0), await wexil.CountedAsync(tested.Test));
    }
}
