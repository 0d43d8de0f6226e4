using System.IO.Compression;
using System.Net;
using System.Net.Http.Headers;
using Wexil.App.Results;
using Wexil.Core.SplitTests;
using Wexil.Store;
using Wexil.Web.Studio.Account;

namespace Wexil.Web.Tests;

/// <summary>The owner's side: who gets in, and what bad input does.</summary>
public sealed class StudioTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task Nobody_gets_in_without_signing_in_and_a_printed_link_works_once()
    {
        using var stranger = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false })
        {
            BaseAddress = wexil.Studio,
        };
        foreach (var path in new[] { "/", "/funnels/new", "/people", "/f/any/step/count", "/live/1", "/jump?q=a" })
        {
            var answer = await stranger.GetAsync(path);
            Assert.Equal(
                (HttpStatusCode.Redirect, "/sign-in"),
                (answer.StatusCode, answer.Headers.Location!.AbsolutePath)
            );
        }
        var key = wexil.Get<SignInLinks>().Issue();
        using var owner = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false })
        {
            BaseAddress = wexil.Studio,
        };
        var signed = await owner.GetAsync($"/sign-in?key={key}");
        var cookie = signed
            .Headers.GetValues("Set-Cookie")
            .Single(set => set.StartsWith("wexil=", StringComparison.Ordinal));
        Assert.Contains("httponly", cookie);
        Assert.Contains("samesite=strict", cookie);
        Assert.Contains("already used", await stranger.GetStringAsync($"/sign-in?key={key}"));
    }

    [Fact]
    public async Task The_first_run_asks_the_owner_for_a_password_that_then_opens_studio()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        using var owner = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false })
        {
            BaseAddress = fresh.Wexil.Studio,
        };
        Assert.DoesNotContain(
            "<form",
            (await owner.GetStringAsync("/first-run")).Replace("action=\"/sign-in", "", StringComparison.Ordinal)
        );
        var page = $"/first-run?key={fresh.Wexil.Get<SignInLinks>().Issue()}";
        var refused = await WexilFixture.PostAsync(owner, page, "", ("Password", "short"), ("Zone", "UTC"));
        Assert.Equal(["Password", "CurrencyCode"], await Refusals.OfAsync(refused));
        Assert.Equal(
            HttpStatusCode.Redirect,
            (
                await WexilFixture.PostAsync(
                    owner,
                    page,
                    "",
                    ("Password", "tomatoes in pots"),
                    ("OwnerName", " Larkrow "),
                    ("CurrencyCode", "EUR"),
                    ("Zone", "Europe/Vienna")
                )
            ).StatusCode
        );
        var settings = fresh.Wexil.Get<SettingStore>();
        Assert.Equal(
            ("Europe/Vienna", "EUR", "Larkrow"),
            (settings.Zone.Id, settings.Currency.Code, settings.OwnerName)
        );

        using var later = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false })
        {
            BaseAddress = fresh.Wexil.Studio,
        };
        Assert.Equal(
            ["Password"],
            await Refusals.OfAsync(
                await WexilFixture.PostAsync(later, "/sign-in", "", ("Password", "radishes in pots"))
            )
        );
        await WexilFixture.PostAsync(later, "/sign-in", "", ("Password", "tomatoes in pots"));
        Assert.Equal(HttpStatusCode.OK, (await later.GetAsync("/")).StatusCode);
    }

    [Fact]
    public async Task Styles_and_scripts_are_sent_compressed_and_what_a_screen_says_is_not()
    {
        using var owner = await wexil.OwnerAsync();
        owner.DefaultRequestHeaders.AcceptEncoding.ParseAdd("br");
        foreach (var path in new[] { "/wexil.css", "/studio/Send/split-bar.js" })
        {
            using var sent = await owner.GetAsync(path);
            Assert.Equal(["br"], sent.Content.Headers.ContentEncoding);
            Assert.Contains("Accept-Encoding", sent.Headers.Vary);
            await using var unpacked = new BrotliStream(
                await sent.Content.ReadAsStreamAsync(),
                CompressionMode.Decompress
            );
            using var reader = new StreamReader(unpacked);
            Assert.Contains("{", await reader.ReadToEndAsync(), StringComparison.Ordinal);
        }
        using var screen = await owner.GetAsync("/");
        Assert.Empty(screen.Content.Headers.ContentEncoding);
    }

    [Fact]
    public async Task Signing_out_closes_the_door_behind_oneself()
    {
        // A session of its own: the tests of a class share the other.
        using var owner = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false })
        {
            BaseAddress = wexil.Studio,
        };
        await owner.GetAsync($"/sign-in?key={wexil.Get<SignInLinks>().Issue()}");
        var token = System
            .Text.RegularExpressions.Regex.Match(
                await owner.GetStringAsync("/"),
                "__RequestVerificationToken\" type=\"hidden\" value=\"([^\"]+)"
            )
            .Groups[1]
            .Value;
        await owner.PostAsync(
            "/sign-in?handler=Out",
            new FormUrlEncodedContent([new("__RequestVerificationToken", token)])
        );
        Assert.Equal(HttpStatusCode.Redirect, (await owner.GetAsync("/")).StatusCode);
    }

    [Fact]
    public async Task A_funnel_made_step_by_step_leads_from_one_link_to_the_next()
    {
        using var owner = await wexil.OwnerAsync();
        var made = await WexilFixture.PostAsync(
            owner,
            "/funnels/new",
            "",
            ("Name", "Größe zählt"),
            ("Starter", "empty")
        );
        Assert.Equal("/f/groesse-zaehlt/steps/new", made.Headers.Location!.ToString());
        await WexilFixture.PostAsync(
            owner,
            "/f/groesse-zaehlt/steps/new",
            "",
            ("Name", "First"),
            ("Kind", "OptIn"),
            ("LinkName", "")
        );
        await WexilFixture.PostAsync(
            owner,
            "/f/groesse-zaehlt/steps/new",
            "",
            ("Name", "First"),
            ("Kind", "ThankYou"),
            ("LinkName", "")
        );
        await WexilFixture.PostAsync(
            owner,
            "/f/groesse-zaehlt/first/build/add",
            "Paste",
            ("Html", "<title>Add</title><form><input type=email></form>")
        );
        await WexilFixture.PostAsync(
            owner,
            "/f/groesse-zaehlt/first-2/build/add",
            "Paste",
            ("Html", "<h1>Done</h1>"),
            ("Name", "The end")
        );
        Assert.Contains("Preview", await owner.GetStringAsync("/f/groesse-zaehlt/first/build/add-2"));
        Assert.Contains("A test needs two pages", await owner.GetStringAsync("/f/groesse-zaehlt/first-2/send"));
        using var visitor = wexil.Visitor();
        // Nobody sees a new page before somebody says so.
        foreach (var address in new[] { "/go/first", "/p/add-2/", "/go/first-2" })
            Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync(address)).StatusCode);
        Assert.Contains("Not live yet", await owner.GetStringAsync("/f/groesse-zaehlt/first/build"));
        Assert.Contains(
            "these steps show visitors no page yet: “First”, “First”.",
            WexilFixture.Read(await owner.GetStringAsync("/f/groesse-zaehlt/steps"))
        );
        await WexilFixture.PostAsync(owner, "/f/groesse-zaehlt/steps", "Live");
        Assert.DoesNotContain("Not live yet", await owner.GetStringAsync("/f/groesse-zaehlt/steps"));
        foreach (var address in new[] { "/go/first", "/p/add-2/", "/go/first-2" })
            Assert.Equal(HttpStatusCode.OK, (await visitor.GetAsync(address)).StatusCode);
        var answer = await visitor.PostAsync(
            "/p/add-2/opt-in",
            new FormUrlEncodedContent([new("email", "bo@larkrow.example")])
        );
        Assert.Contains("Done", await visitor.GetStringAsync(answer.Headers.Location!));
        Assert.Equal(HttpStatusCode.NotFound, (await owner.GetAsync("/f/groesse-zaehlt/nothing/build")).StatusCode);
        Assert.Equal(
            "/f/groesse-zaehlt/first-2/build",
            (await owner.GetAsync("/jump?q=http://127.0.0.1/go/first-2")).Headers.Location!.ToString()
        );
    }

    [Fact]
    public async Task The_evidence_of_a_verdict_stays_as_it_was()
    {
        var tested = await wexil.StartTestAsync("frozen", Weights.Create(100, 0));
        using var visitor = wexil.Visitor();
        await visitor.GetAsync("/go/frozen");
        await wexil.Host.Journal.WhenProjectedAsync();
        using var owner = await wexil.OwnerAsync();
        await WexilFixture.PostAsync(
            owner,
            $"/f/{tested.Funnel.Slug}/frozen/keep",
            "Keep",
            ("Kept", tested.A.Id.Value.ToString()),
            ("Confirmed", "true")
        );
        var stored = wexil.Get<VerdictStore>().ForStep(tested.Step.Id).Single();
        await visitor.GetAsync("/go/frozen-thanks");
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(stored, wexil.Get<VerdictStore>().ForStep(tested.Step.Id).Single());
        var page = Evidence.Parse(stored.Evidence).Pages[0];
        Assert.Equal((1, 0), (page.Visitors, page.Conversions));
        Assert.Equal((1, 0), await wexil.CountedAsync(tested.Test));
    }

    [Fact]
    public async Task Posts_from_elsewhere_and_other_host_names_are_turned_away()
    {
        using var owner = await wexil.OwnerAsync();
        Assert.Equal(
            HttpStatusCode.BadRequest,
            (await owner.PostAsync("/funnels/new", new FormUrlEncodedContent([new("Name", "Forged")]))).StatusCode
        );
        using var foreign = new HttpRequestMessage(HttpMethod.Post, "/funnels/new")
        {
            Content = new FormUrlEncodedContent([new("Name", "Forged")]),
        };
        foreign.Headers.Add("Origin", wexil.Visitors.GetLeftPart(UriPartial.Authority));
        Assert.Equal(HttpStatusCode.Forbidden, (await owner.SendAsync(foreign)).StatusCode);
        using var renamed = new HttpRequestMessage(HttpMethod.Get, "/");
        renamed.Headers.Host = $"studio.evil.example:{wexil.Studio.Port}";
        Assert.Equal(HttpStatusCode.MisdirectedRequest, (await owner.SendAsync(renamed)).StatusCode);
        var policy = string.Join(' ', (await owner.GetAsync("/")).Headers.GetValues("Content-Security-Policy"));
        Assert.Contains("script-src 'self'", policy);
        Assert.DoesNotContain("unsafe", policy);
        Assert.DoesNotContain(wexil.Get<FunnelStore>().All(), funnel => funnel.Name == "Forged");
    }

    [Theory]
    [InlineData("Upload", "Choose an .html or .zip file.")]
    [InlineData("Paste", "Paste the page")]
    [InlineData("Outside", "Enter the address of the page")]
    public async Task A_page_that_cannot_be_brought_in_says_why_and_changes_nothing(string handler, string why)
    {
        var tested = await wexil.StartTestAsync($"bad-{handler.ToLowerInvariant()}");
        using var owner = await wexil.OwnerAsync();
        var page = $"/f/{tested.Funnel.Slug}/{tested.Step.Slug}/build/add";
        var answer = await WexilFixture.PostAsync(
            owner,
            page,
            handler,
            ("Name", "A name that was typed"),
            ("Html", ""),
            ("Outside", "")
        );
        var html = await answer.Content.ReadAsStringAsync();
        Assert.Contains(why, WebUtility.HtmlDecode(html));
        Assert.Contains("A name that was typed", html);
        Assert.Equal(2, wexil.Get<PageStore>().ForStep(tested.Step.Id).Count);
    }

    [Fact]
    public async Task A_zip_becomes_a_page_with_its_files()
    {
        var tested = await wexil.StartTestAsync("zipped");
        using var owner = await wexil.OwnerAsync();
        using var zip = new MemoryStream();
        using (var archive = new ZipArchive(zip, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (
                var (path, text) in new[]
                {
                    ("dist/index.html", "<title>The kit</title><img src=img/k.svg>"),
                    ("dist/img/k.svg", "<svg/>"),
                }
            )
            {
                using var writer = new StreamWriter(archive.CreateEntry(path).Open());
                writer.Write(text);
            }
        }
        var page = $"/f/{tested.Funnel.Slug}/zipped/build/add";
        var token = System
            .Text.RegularExpressions.Regex.Match(
                await owner.GetStringAsync(page),
                "__RequestVerificationToken\" type=\"hidden\" value=\"([^\"]+)"
            )
            .Groups[1]
            .Value;
        using var form = new MultipartFormDataContent { { new StringContent(token), "__RequestVerificationToken" } };
        var content = new ByteArrayContent(zip.ToArray());
        content.Headers.ContentType = new MediaTypeHeaderValue("application/zip");
        form.Add(content, "Upload", "kit.zip");
        Assert.Equal(HttpStatusCode.Redirect, (await owner.PostAsync(page + "?handler=Upload", form)).StatusCode);
        var added = wexil.Get<PageStore>().ForStep(tested.Step.Id)[^1];
        Assert.Equal("The kit", added.Name);
        using var visitor = wexil.Visitor();
        Assert.Matches(
            "^<script src=\"[^\"]+/wexil.js\" data-page=\"the-kit\" async></script><title>The "
                + "kit</title><img src=/a/[0-9a-f]{64}/k.svg>$",
            await visitor.GetStringAsync("/p/the-kit/")
        );
        Assert.Equal("<svg/>", await visitor.GetStringAsync("/p/the-kit/img/k.svg"));
    }

    [Fact]
    public async Task Weights_that_do_not_add_up_are_not_saved_and_stay_as_typed()
    {
        var tested = await wexil.StartTestAsync("uneven");
        using var owner = await wexil.OwnerAsync();
        var send = $"/f/{tested.Funnel.Slug}/uneven/send";
        var rows = new[]
        {
            ("Rows[0].Page", tested.A.Id.Value.ToString()),
            ("Rows[0].Weight", "70"),
            ("Rows[1].Page", tested.B.Id.Value.ToString()),
            ("Rows[1].Weight", "20"),
        };
        var html = await (await WexilFixture.PostAsync(owner, send, "Change", rows)).Content.ReadAsStringAsync();
        Assert.Contains("The weights add up to 90. Add 10.", html);
        Assert.Contains("value=\"70\"", html);
        Assert.Equal(Weights.Even(2), wexil.Get<TestStore>().Find(tested.Test)!.Weights);

        rows[3] = ("Rows[1].Weight", "30");
        var saved = await WexilFixture.PostAsync(owner, send, "Change", rows);
        Assert.True(saved.StatusCode == HttpStatusCode.Redirect, await saved.Content.ReadAsStringAsync());
        Assert.Equal(Weights.Create(70, 30), wexil.Get<TestStore>().Find(tested.Test)!.Weights);
        Assert.Equal(2, wexil.Get<TestStore>().Phases(tested.Test).Count);
    }

    [Fact]
    public async Task A_links_name_is_checked_while_it_is_typed()
    {
        var tested = await wexil.StartTestAsync("taken");
        using var owner = await wexil.OwnerAsync();
        async Task<string> Ask(string name) =>
            await owner.GetStringAsync(
                $"/f/{tested.Funnel.Slug}/steps/new?handler=Link&name={Uri.EscapeDataString(name)}"
            );
        Assert.Contains("This link is taken", await Ask("taken"));
        Assert.Contains("Use lowercase letters only", await Ask("Taken"));
        Assert.Equal("{\"problem\":null}", await Ask("free-one"));
    }

    [Fact]
    public async Task An_open_screen_is_told_at_once_when_the_numbers_move()
    {
        var tested = await wexil.StartTestAsync("live");
        using var owner = await wexil.OwnerAsync();
        using var stream = await owner.GetStreamAsync($"/live/{tested.Test.Value}");
        using var reader = new StreamReader(stream);
        Assert.Equal("retry: 1000", await reader.ReadLineAsync());
        using var visitor = wexil.Visitor();
        await visitor.GetAsync("/go/live");
        using var patience = new CancellationTokenSource(TimeSpan.FromSeconds(10));
        string? line;
        do line = await reader.ReadLineAsync(patience.Token);
        while (line is "");
        Assert.Equal("event: moved", line);
        Assert.Contains("1 visitor · 0 opt-ins", await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/live/count"));
    }
}
