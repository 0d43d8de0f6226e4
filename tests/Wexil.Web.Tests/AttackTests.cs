using System.Net;
using System.Text;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.Web.Tests;

/// <summary>What is typed, sent and called to do harm: into every field, address and header that takes any.</summary>
[Trait("For", "security")]
public sealed class AttackTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    private const string Script = "<script>alert('x')</script>",
        Attribute = "\"onmouseover=\"alert(1)\" x=\"",
        Quote = "');DROP TABLE events;--";

    [Fact]
    public async Task Script_in_every_name_is_shown_as_letters_on_every_screen()
    {
        var evil = $"{Script}{Attribute}";
        var funnels = wexil.Get<FunnelStore>();
        var funnel = await funnels.CreateAsync(evil);
        var step = (await funnels.AddStepAsync(funnel.Id, StepKind.OptIn, evil, "evil"))!;
        var thanks = (await funnels.AddStepAsync(funnel.Id, StepKind.ThankYou, evil, "evil-thanks"))!;
        var page = await wexil
            .Get<PageStore>()
            .AddAsync(step.Id, evil, PageBundle.OneFile("<h1>x</h1><form><input type=email name=email></form>"));
        var other = await wexil.Get<PageStore>().AddAsync(step.Id, evil, PageBundle.OneFile("<h1>y</h1>"));
        await wexil
            .Get<TestStore>()
            .StartAsync(new(step.Id, thanks.Id, evil, evil, 0.1, 0.2, [page, other], Weights.Even(2)));
        using var visitor = wexil.Visitor();
        visitor.DefaultRequestHeaders.TryAddWithoutValidation("Referer", $"http://evil.example/{Script}");
        var search = Uri.EscapeDataString(evil);
        await visitor.GetAsync($"/go/evil?utm_source={search}&s={search}&aff={search}");
        await visitor.PostAsync(
            $"/p/{wexil.Get<PageStore>().Find(page)!.Slug}/opt-in",
            new FormUrlEncodedContent([new("email", "ann@larkrow.example"), new(Script, evil)])
        );
        await wexil
            .Get<SaleStore>()
            .RecordAsync(
                new(SaleKind.Sale, Script, "", 4900, "USD", evil, "ann@larkrow.example"),
                null,
                null,
                wexil.Time.GetUtcNow()
            );
        await wexil.Get<PeopleStore>().AddAsync([("bo@larkrow.example", [Script])]);
        await wexil.Host.Journal.WhenProjectedAsync();

        using var owner = await wexil.OwnerAsync();
        var home = $"/f/{funnel.Slug}";
        foreach (
            var screen in (string[])
                [
                    "/",
                    "/funnels",
                    "/tests",
                    $"/tests?q={search}",
                    $"/jump?q={search}",
                    "/sales",
                    $"/sales?text={search}",
                    $"/sales/order?order={Uri.EscapeDataString(Script)}&currency=USD",
                    "/people",
                    $"/people?text={search}&tag={search}&page={search}",
                    "/people/one?email=ann@larkrow.example",
                    "/people/one?email=bo@larkrow.example",
                    $"{home}/steps",
                    $"{home}/sources",
                    $"{home}/files",
                    $"{home}/wiring",
                    $"{home}/rehearsal",
                    $"{home}/evil/build",
                    $"{home}/evil/send",
                    $"{home}/evil/count",
                    $"{home}/evil/count?by=money&segment={search}",
                    $"{home}/evil/keep",
                    $"{home}/evil/goals",
                    $"{home}/evil/opt-ins",
                    $"{home}/evil/sections",
                    "/outbox",
                    "/status",
                    "/team",
                    $"/team/log?q={search}",
                    $"/guide?q={search}",
                    $"/workbench?names={search}",
                ]
        )
        {
            using var answer = await owner.GetAsync(screen);
            var html = await answer.Content.ReadAsStringAsync();
            Assert.Equal((screen, HttpStatusCode.OK), (screen, answer.StatusCode));
            Assert.DoesNotContain(Script, html, StringComparison.Ordinal);
            Assert.DoesNotContain(Attribute, html, StringComparison.Ordinal);
        }
    }

    [Fact]
    public async Task Statements_in_any_parameter_are_words_to_look_for_and_nothing_else()
    {
        var tested = await wexil.StartTestAsync("quoted");
        using var owner = await wexil.OwnerAsync();
        using var visitor = wexil.Visitor();
        var words = Uri.EscapeDataString(Quote);
        var step = $"/f/{tested.Funnel.Slug}/quoted";
        foreach (
            var screen in (string[])
                [
                    $"/tests?q={words}&show={words}&sort={words}",
                    $"/funnels?q={words}&sort={words}",
                    $"/jump?q={words}",
                    $"/sales?text={words}&by={words}&page={words}&test={words}&source={words}",
                    $"/sales/order?order={words}&currency={words}",
                    $"/people?text={words}&tag={words}&page={words}",
                    $"/people/one?email={words}",
                    $"/f/{words}",
                    $"/f/{words}/{words}/count",
                    $"{step}/count?by={words}&segment={words}&from={words}",
                    $"{step}/build/{words}",
                    $"/team/log?q={words}&before={words}",
                    $"/guide/{words}?q={words}",
                ]
        )
            Assert.NotEqual(
                (screen, HttpStatusCode.InternalServerError),
                (screen, (await owner.GetAsync(screen)).StatusCode)
            );
        foreach (
            var link in (string[])
                [
                    $"/go/{words}",
                    $"/go/quoted?s={words}&utm_source={words}&aff={words}&wx={words}&wx_start={words}&wx_visit={words}",
                    $"/buy/{words}?button={words}",
                    $"/signal/{words}?visitor={words}",
                    $"/section/{words}?wx={words}",
                    $"/share/{words}",
                    $"/report/{words}",
                ]
        )
            Assert.NotEqual(
                (link, HttpStatusCode.InternalServerError),
                (link, (await visitor.GetAsync(link)).StatusCode)
            );
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(1, (await wexil.CountedAsync(tested.Test)).Visitors);
    }

    [Theory]
    [InlineData("//evil.example")]
    [InlineData("https://evil.example")]
    [InlineData("/\\evil.example")]
    [InlineData("/%09/evil.example")]
    [InlineData("javascript:alert(1)")]
    [InlineData("/\r\nSet-Cookie: a=b")]
    public async Task No_address_leads_away_because_somebody_wrote_it_into_a_link(string away)
    {
        var slug = $"away-{Math.Abs(away.GetHashCode(StringComparison.Ordinal))}";
        var tested = await wexil.StartTestAsync(slug);
        var to = Uri.EscapeDataString(away);
        using var visitor = wexil.Visitor();
        using var owner = await wexil.OwnerAsync();
        foreach (
            var link in (string[])
                [
                    $"/go/{slug}?url={to}&next={to}&redirect={to}",
                    $"/buy/{tested.A.Slug}?button={to}&url={to}",
                    $"/no/{tested.A.Slug}?url={to}",
                    $"/mine/off?to={to}",
                    $"/go/{to}",
                    $"/p/{tested.A.Slug}/{to}",
                ]
        )
            Safe(link, await visitor.GetAsync(link));
        foreach (var link in (string[])[$"/sign-in?ReturnUrl={to}", $"/signed-in?next={to}", $"/sales/order?back={to}"])
            Safe(link, await owner.GetAsync(link));
        using var form = new HttpRequestMessage(HttpMethod.Post, "/consent/no");
        form.Headers.TryAddWithoutValidation("Referer", $"http://evil.example/{to}");
        form.Headers.TryAddWithoutValidation("Accept", "text/html");
        Safe("/consent/no", await visitor.SendAsync(form));
    }

    [Fact]
    public async Task Studio_is_in_no_frame_runs_only_its_own_script_and_is_never_guessed_to_be_another_type()
    {
        using var owner = await wexil.OwnerAsync();
        foreach (var screen in (string[])["/", "/settings", "/sign-in", "/no-such-screen", "/studio/Shared/keys.js"])
        {
            using var answer = await owner.GetAsync(screen);
            var policy = answer.Headers.GetValues("Content-Security-Policy").Single();
            Assert.Contains("frame-ancestors 'none'", policy);
            Assert.Contains("script-src 'self';", policy);
            Assert.Contains("base-uri 'none'", policy);
            Assert.DoesNotContain("unsafe", policy, StringComparison.Ordinal);
            Assert.Equal("nosniff", answer.Headers.GetValues("X-Content-Type-Options").Single());
            Assert.Equal("same-origin", answer.Headers.GetValues("Cross-Origin-Opener-Policy").Single());
        }
    }

    [Theory]
    [InlineData("/p/{0}/../../../wexil.db")]
    [InlineData("/p/{0}/..%2f..%2fwexil.db")]
    [InlineData("/p/{0}/%2e%2e/%2e%2e/keys/")]
    [InlineData("/p/{0}//etc/passwd")]
    [InlineData("/a/../../wexil.db")]
    [InlineData("/a/0000/..%2f..%2fetc%2fpasswd")]
    [InlineData("/fonts/..%2f..%2fwexil.woff2")]
    [InlineData("/p/{0}/index.html%00.png")]
    public async Task Paths_upwards_find_nothing(string path)
    {
        var tested = await wexil.StartTestAsync($"path-{Math.Abs(path.GetHashCode(StringComparison.Ordinal))}");
        using var visitor = wexil.Visitor();
        // As it is written: the client's own address would be tidied up before it is sent.
        var address = string.Format(System.Globalization.CultureInfo.InvariantCulture, path, tested.A.Slug);
        var said = await RawAsync(
            $"GET {address} HTTP/1.1\r\nHost: {wexil.Visitors.Authority}\r\nConnection: close\r\n\r\n"
        );
        Assert.Matches("^HTTP/1.1 (400|404)", said);
        Assert.DoesNotContain("SQLite format", said);
    }

    [Fact]
    public async Task Uploaded_files_are_what_their_name_says_and_never_run_in_the_Studio()
    {
        var bundle = new PageBundle(
            [
                new("index.html", "<h1>x</h1><img src=a.svg>"u8.ToArray()),
                new("a.svg", Encoding.UTF8.GetBytes($"<svg xmlns='http://www.w3.org/2000/svg'>{Script}</svg>")),
                new("b.txt", Encoding.UTF8.GetBytes($"<html>{Script}</html>")),
            ],
            "index.html"
        );
        var tested = await wexil.StartTestAsync("uploaded");
        var page = await wexil.Get<PageStore>().AddAsync(tested.Step.Id, "Uploaded", bundle);
        var slug = wexil.Get<PageStore>().Find(page)!.Slug;
        using var visitor = wexil.Visitor();
        foreach (var (file, type) in new[] { ("a.svg", "image/svg+xml"), ("b.txt", "text/plain") })
        {
            using var answer = await visitor.GetAsync($"/p/{slug}/{file}");
            Assert.Equal((file, type), (file, answer.Content.Headers.ContentType!.MediaType));
            Assert.Equal("nosniff", answer.Headers.GetValues("X-Content-Type-Options").Single());
        }
        using var owner = await wexil.OwnerAsync();
        Assert.Equal(HttpStatusCode.NotFound, (await owner.GetAsync($"/p/{slug}/a.svg")).StatusCode);
    }

    [Fact]
    public async Task A_token_with_any_bit_turned_is_nobodys()
    {
        var tokens = wexil.Get<VisitorToken>();
        var now = wexil.Time.GetUtcNow();
        var token = tokens.Issue(VisitorId.New(now, new SeededChance(5)), now);
        var bytes = System.Buffers.Text.Base64Url.DecodeFromChars(token);
        for (var bit = 0; bit < bytes.Length * 8; bit++)
        {
            byte[] turned = [.. bytes];
            turned[bit / 8] ^= (byte)(1 << (bit % 8));
            Assert.Null(tokens.Read(System.Buffers.Text.Base64Url.EncodeToString(turned), now));
        }
        using var visitor = wexil.Visitor();
        foreach (var junk in (string[])["", "%00", new string('A', 5_000), "é", "=&wx="])
            Assert.NotEqual(
                HttpStatusCode.InternalServerError,
                (await visitor.GetAsync($"/go/none?wx={junk}")).StatusCode
            );
    }

    [Theory]
    [InlineData("=cmd|' /C calc'!A0")]
    [InlineData("+1+1")]
    [InlineData("-1+1")]
    [InlineData("@SUM(A1)")]
    [InlineData("\tx")]
    public async Task Formulas_leave_in_an_export_behind_an_apostrophe(string formula)
    {
        await wexil.Get<PeopleStore>().AddAsync([($"{Guid.NewGuid():N}@formula.example", [formula.Trim()])]);
        await wexil
            .Get<Wexil.Store.Team.AuditLog>()
            .AddAsync(new(wexil.Time.GetUtcNow(), "Mira", "Did", formula, "", ""));
        using var owner = await wexil.OwnerAsync();
        var people = await owner.GetStringAsync("/people?handler=Csv");
        if (formula == formula.Trim())
            Assert.DoesNotContain($",{formula}", people, StringComparison.Ordinal);
        var log = await owner.GetStringAsync("/team/log?handler=Csv");
        Assert.Contains($"'{formula}", log.Replace("\"\"", "\"", StringComparison.Ordinal), StringComparison.Ordinal);
    }

    [Fact]
    public async Task An_address_that_would_add_lines_or_turn_the_letters_around_is_no_address()
    {
        var tested = await wexil.StartTestAsync("addressed");
        using var visitor = wexil.Visitor();
        foreach (
            var email in (string[])
                [
                    "ann@larkrow.example\r\nBcc: all@larkrow.example",
                    "ann@larkrow.example,bo@larkrow.example",
                    "ann\u202e@larkrow.example",
                    "ann\u2028@larkrow.example",
                    "ann@larkrow.example\0",
                    "<ann@larkrow.example>",
                    $"{new string('a', 300)}@larkrow.example",
                ]
        )
        {
            using var answer = await visitor.PostAsync(
                $"/p/{tested.A.Slug}/opt-in",
                new FormUrlEncodedContent([new("email", email)])
            );
            Assert.Equal((email, HttpStatusCode.BadRequest), (email, answer.StatusCode));
        }
    }

    [Fact]
    public async Task Three_hundred_invented_sources_are_folded_and_every_visitor_still_counts()
    {
        var tested = await wexil.StartTestAsync("invented");
        using var visitor = wexil.Visitor(cookies: false);
        for (var i = 0; i < 300; i++)
            await visitor.GetAsync($"/go/invented?s=invented-{i}");
        await wexil.Host.Journal.WhenProjectedAsync();
        using var owner = await wexil.OwnerAsync();
        var screen = await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/sources");
        var shown = System.Text.RegularExpressions.Regex.Matches(screen, "invented-\\d+").Select(found => found.Value);
        Assert.InRange(shown.Distinct().Count(), 1, 200);
        Assert.Equal(300, (await wexil.CountedAsync(tested.Test)).Visitors);
    }

    private static void Safe(string link, HttpResponseMessage answer)
    {
        Assert.NotEqual((link, HttpStatusCode.InternalServerError), (link, answer.StatusCode));
        Assert.False(
            answer.Headers.TryGetValues("Set-Cookie", out var cookies)
                && cookies.Any(set => set.StartsWith("a=", StringComparison.Ordinal))
        );
        if (answer.Headers.Location is not { } location)
            return;
        var to = new Uri(answer.RequestMessage!.RequestUri!, location);
        Assert.True(to.Host is "localhost" or "127.0.0.1", $"{link} leads to {location}");
    }

    private async Task<string> RawAsync(string request)
    {
        using var client = new System.Net.Sockets.TcpClient();
        await client.ConnectAsync(wexil.Visitors.Host, wexil.Visitors.Port);
        await client.GetStream().WriteAsync(Encoding.ASCII.GetBytes(request));
        using var reader = new StreamReader(client.GetStream(), Encoding.Latin1);
        return await reader.ReadToEndAsync();
    }
}
