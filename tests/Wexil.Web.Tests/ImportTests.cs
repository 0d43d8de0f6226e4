using System.IO.Compression;
using System.Net;
using System.Text;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Routing;
using Microsoft.Extensions.Logging;
using Wexil.App.Fetching;
using Wexil.App.Importing;
using Wexil.App.Setup;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store;
using Wexil.Tests;
using Wexil.Web.Studio.Build;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Tests;

/// <summary>Pages brought in by address and by archive, hard ones too.</summary>
public sealed class ImportTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    private static readonly byte[] Pixel = Convert.FromBase64String(
        "R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7"
    );

    [Fact]
    public async Task A_screen_that_is_written_while_the_import_ends_says_one_thing_throughout()
    {
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        var tested = await wexil.StartTestAsync("written");
        var released = new TaskCompletionSource();
        await using var site = await Site.StartAsync(
            [],
            async http =>
            {
                await released.Task;
                http.Response.ContentType = "text/html";
                await http.Response.WriteAsync("<title>Kit</title><h1>Kit</h1>");
            },
            "/kit"
        );
        var import = wexil.Get<Imports>().Start(tested.Step.Id, null, new(site.Address, "/kit"));
        var before = Screen();
        released.SetResult();
        await Eventually.HoldsAsync(() => !import.IsUnderWay);
        // The script that follows an import comes last on the screen, and must come where its bar came first.
        Assert.Equal((true, null), (before.IsUnderWay, before.Made));
        var after = Screen();
        Assert.Equal((false, "Kit"), (after.IsUnderWay, after.Made?.Name));

        ImportPageModel Screen()
        {
            var model = new ImportPageModel(
                wexil.Get<StepScreens>(),
                wexil.Get<Imports>(),
                wexil.Get<PageStore>(),
                wexil.Get<FirstTestGuide>()
            );
            var route = new RouteData();
            (route.Values["funnel"], route.Values["step"]) = (tested.Funnel.Slug, tested.Step.Slug);
            model.PageContext = new(new ActionContext(new DefaultHttpContext(), route, new()));
            model.OnPageHandlerExecuting(new(model.PageContext, [], null, new Dictionary<string, object?>(), model));
            model.OnGet(import.Id);
            return model;
        }
    }

    [Fact]
    public async Task A_page_comes_in_with_everything_that_it_needs()
    {
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        await using var site = await Site.StartAsync(
            new()
            {
                ["/shop/page"] = (
                    "text/html; charset=iso-8859-1",
                    Encoding.Latin1.GetBytes(
                        """
                        <!doctype html><title>Größe</title><base href="/base/">
                        <link rel=stylesheet href="css/a.css?v=1&amp;w=2"><link rel="preconnect" href="//cdn.example">
                        <script src=js/app.js></script>
                        <style>@import "more.css"; p { background: url('bg one.gif') }</style>
                        <img src=pic.gif srcset="pic.gif 1x, big.gif 2x"><img src=data:image/gif;base64,R0lGOD>
                        <img src="gone.gif"><p style="background:url(&quot;styled.gif&quot;)">x</p>
                        <video poster=poster.gif src=/v.mp4></video>
                        <svg><use href="sprite.svg#leaf"/></svg><a href="other.html#part">on</a><a href="#top">up</a>
                        <form action=join><input type=email name=e></form>
                        """
                    )
                ),
                ["/base/css/a.css"] = (
                    "text/css",
                    Encoding.Latin1.GetBytes(
                        "@charset \"iso-8859-1\"; @font-face { src: url(../font.woff2) } h1::after { "
                            + "content: \"ü\"; background: url(\"deep/bg.gif\") } @import url(b.css);"
                    )
                ),
                ["/base/css/b.css"] = (
                    "text/css",
                    "b { background: url(../pic.gif) } @import 'a.css?v=1&w=2';"u8.ToArray()
                ),
                ["/base/css/deep/bg.gif"] = ("image/gif", Pixel),
                ["/base/more.css"] = ("text/css", "i{}"u8.ToArray()),
                ["/base/font.woff2"] = ("application/octet-stream", "font"u8.ToArray()),
                ["/base/js/app.js"] = ("application/x-javascript", "var a=1"u8.ToArray()),
                ["/base/pic.gif"] = ("image/gif", Pixel),
                ["/base/big.gif"] = ("image/gif", Pixel),
                ["/base/bg one.gif"] = ("image/gif", Pixel),
                ["/base/styled.gif"] = ("image/gif", Pixel),
                ["/base/poster.gif"] = ("image/gif", Pixel),
                ["/base/sprite.svg"] = ("image/svg+xml", "<svg/>"u8.ToArray()),
                ["/v.mp4"] = ("application/x-msdownload", "MZ"u8.ToArray()),
            }
        );
        var (page, screen) = await FetchAsync("fetched", new(site.Address, "/shop/page"));
        Assert.NotNull(page);
        Assert.Contains("2 files", screen);
        Assert.Contains("gone.gif", screen);
        Assert.Contains("responded with 404", screen);
        Assert.Contains("v.mp4", screen);
        var pages = wexil.Get<PageStore>();
        Assert.Equal("Größe", page.Name);
        var html = pages.Source(page);
        Assert.DoesNotContain("<base", html);
        foreach (
            var rewritten in new[]
            {
                "href=\"files/a.css\"",
                "src=files/app.js",
                "@import \"files/more.css\"",
                "url('files/bg-one.gif')",
                "srcset=\"files/pic.gif 1x, files/big.gif 2x\"",
                "url(&quot;files/styled.gif&quot;)",
                "poster=files/poster.gif",
                $"src={site.Address}v.mp4",
                $"src=\"{site.Address}base/gone.gif\"",
                "href=\"files/sprite.svg#leaf\"",
                $"href=\"{site.Address}base/other.html#part\"",
                "href=\"#top\"",
                $"action={site.Address}base/join",
                "href=\"http://cdn.example/\"",
                "src=data:image/gif;base64,R0lGOD",
            }
        )
            Assert.Contains(rewritten, html);
        var css = Encoding.UTF8.GetString(pages.File(page.Id, 1, "files/a.css")!.Content);
        Assert.Contains("url(font.woff2)", css);
        Assert.Contains("content: \"ü\"; background: url(\"bg.gif\")", css);
        Assert.Contains("@import url(b.css)", css);
        Assert.Contains("@import 'a.css'", Encoding.UTF8.GetString(pages.File(page.Id, 1, "files/b.css")!.Content));
    }

    [Fact]
    public async Task Private_addresses_are_refused_by_name_by_number_and_after_a_redirect()
    {
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(false);
        await using var site = await Site.StartAsync(new() { ["/"] = ("text/html", "<h1>secret"u8.ToArray()) });
        foreach (
            var address in new[]
            {
                site.Address,
                new Uri($"http://localhost:{site.Address.Port}/"),
                new Uri("http://[::ffff:127.0.0.1]/"),
                new Uri("http://0x7f000001/"),
            }
        )
        {
            var (page, screen) = await FetchAsync($"private-{Guid.NewGuid():N}", address);
            Assert.Null(page);
            Assert.Contains("private network", screen);
        }
        foreach (
            var (address, isPublic) in new[]
            {
                ("10.1.2.3", false),
                ("172.16.0.1", false),
                ("172.32.0.1", true),
                ("192.168.9.9", false),
                ("169.254.169.254", false),
                ("100.64.0.1", false),
                ("8.8.8.8", true),
                ("::1", false),
                ("fe80::1", false),
                ("fd00::1", false),
                ("2606:4700::1111", true),
                ("::ffff:10.0.0.1", false),
                ("0.0.0.0", false),
                ("224.0.0.1", false),
                ("2002:7f00:1::", false),
                ("::127.0.0.1", false),
                ("64:ff9b::7f00:1", false),
            }
        )
            Assert.Equal(isPublic, AddressGuard.IsPublic(IPAddress.Parse(address)));
        // A connection is judged when it is made, whoever led there.
        await Assert.ThrowsAsync<PrivateAddressException>(async () =>
            await AddressGuard.ConnectAsync("localhost", site.Address.Port, allowPrivate: false, CancellationToken.None)
        );
    }

    [Fact]
    public async Task What_cannot_be_fetched_says_why_and_a_fetch_can_be_stopped()
    {
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        var asked = new TaskCompletionSource();
        await using var site = await Site.StartAsync(
            new()
            {
                ["/file"] = ("application/pdf", "x"u8.ToArray()),
                ["/large"] = ("text/html", new byte[5 << 20]),
                ["/slow"] = ("text/html", "<img src=never.gif>"u8.ToArray()),
            },
            async http =>
            {
                asked.TrySetResult();
                await Task.Delay(Timeout.Infinite, http.RequestAborted).ContinueWith(_ => { }, TaskScheduler.Default);
            },
            "/never.gif"
        );
        Assert.Contains(
            "does not return a web page, but application/pdf",
            (await FetchAsync("why-file", new(site.Address, "/file"))).Screen
        );
        Assert.Contains("larger than 4 MB", (await FetchAsync("why-large", new(site.Address, "/large"))).Screen);
        Assert.Contains("responded with 404", (await FetchAsync("why-none", new(site.Address, "/nothing"))).Screen);

        var tested = await wexil.StartTestAsync("stopped");
        using var owner = await wexil.OwnerAsync();
        var started = await WexilFixture.PostAsync(
            owner,
            "/f/stopped/stopped/build/add",
            "Fetch",
            ("Address", new Uri(site.Address, "/slow").ToString())
        );
        var screen = started.Headers.Location!.ToString();
        await asked.Task.WaitAsync(TimeSpan.FromSeconds(20));
        Assert.Contains("Stop", await owner.GetStringAsync(screen));
        await WexilFixture.PostAsync(owner, screen, "Stop");
        Assert.Contains("Nothing was imported", await OverAsync(owner, screen));
        Assert.Equal(2, wexil.Get<PageStore>().ForStep(tested.Step.Id).Count);
    }

    [Fact]
    public async Task A_zip_with_several_pages_is_placed_along_the_funnel()
    {
        var funnel = await wexil.Get<FunnelStore>().CreateAsync("placed");
        var first = (await wexil.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.OptIn, "Start", "placed"))!;
        var second = (await wexil.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.ThankYou, "End", "placed-end"))!;
        using var owner = await wexil.OwnerAsync();
        var zip = PageArchive.Write([
            new("index.html", "<title>Start here</title><a href=thanks.html?x=1>on</a><img src=i.svg>"u8.ToArray()),
            new("thanks.html", "<title>Thanks</title>"u8.ToArray()),
            new("more/extra.html", "<title>Extra</title><a href=../index.html>back</a>"u8.ToArray()),
            new("i.svg", "<svg/>"u8.ToArray()),
        ]);
        var asked = await BuildTests.UploadAsync(owner, "/f/placed/placed/build/add", "Upload", zip);
        var place = asked.Headers.Location!.ToString();
        var screen = await owner.GetStringAsync(place);
        Assert.Contains("Start here", screen);
        Assert.Contains($"<option value=\"{second.Id.Value}\" selected", screen);
        Assert.Equal(
            ["to"],
            await Refusals.OfAsync(await WexilFixture.PostAsync(owner, place, "", ("path", "index.html"), ("to", "")))
        );
        await WexilFixture.PostAsync(
            owner,
            place,
            "",
            ("path", "index.html"),
            ("to", $"{first.Id.Value}"),
            ("path", "thanks.html"),
            ("to", $"{second.Id.Value}"),
            ("path", "more/extra.html"),
            ("to", "new")
        );
        var pages = wexil.Get<PageStore>();
        Assert.Equal(
            "<title>Start here</title><a href=\"/go/placed-end?x=1\">on</a><img src=i.svg>",
            pages.Source(pages.ForStep(first.Id).Single())
        );
        Assert.Equal("Thanks", pages.ForStep(second.Id).Single().Name);
        var extra = wexil.Get<FunnelStore>().Steps(funnel.Id)[2];
        Assert.Equal(
            ("Extra", "<title>Extra</title><a href=\"/go/placed\">back</a>"),
            (extra.Name, pages.Source(pages.ForStep(extra.Id).Single()))
        );
    }

    public static TheoryData<string, string> Refused() =>
        new()
        {
            { "many", "at most 1,000 can be imported" },
            { "large", "is larger than 16 MB" },
            { "bomb", "larger than" },
            { "outside", "a path outside the .zip" },
            { "absolute", "a path outside the .zip" },
            { "link", "is a link, not a file" },
            { "program", "is a file type that cannot be imported" },
            { "no-page", "no .html file" },
            { "no-zip", "cannot be opened as a .zip" },
            { "twice", "is in the .zip twice" },
        };

    [Theory]
    [MemberData(nameof(Refused))]
    public async Task An_archive_that_is_too_much_or_not_right_says_so_and_changes_nothing(string what, string why)
    {
        var tested = await wexil.StartTestAsync($"refused-{what}");
        using var owner = await wexil.OwnerAsync();
        var answer = await BuildTests.UploadAsync(
            owner,
            $"/f/refused-{what}/refused-{what}/build/add",
            "Upload",
            Archive(what),
            fields: ("Name", "Typed before")
        );
        var screen = WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync());
        Assert.Contains(why, screen);
        Assert.Contains("Typed before", screen);
        Assert.Equal(2, wexil.Get<PageStore>().ForStep(tested.Step.Id).Count);
    }

    private static byte[] Archive(string what)
    {
        if (what == "no-zip")
            return "PK, but no more than that"u8.ToArray();
        using var memory = new MemoryStream();
        using (var archive = new ZipArchive(memory, ZipArchiveMode.Create, leaveOpen: true))
        {
            void Put(string path, long length = 1)
            {
                using var stream = archive.CreateEntry(path).Open();
                var zeros = new byte[1 << 20];
                for (var left = length; left > 0; left -= zeros.Length)
                    stream.Write(zeros, 0, (int)Math.Min(left, zeros.Length));
            }
            if (what != "no-page")
                Put("index.html");
            switch (what)
            {
                case "many":
                    for (var i = 0; i < 1000; i++)
                        Put($"{i}.css");
                    break;
                case "large":
                    Put("film.mp4", 17 << 20);
                    break;
                case "bomb":
                    for (var i = 0; i < 8; i++)
                        Put($"{i}.png", 15 << 20);
                    break;
                case "outside":
                    Put("a/../../b.css");
                    break;
                case "absolute":
                    Put("C:\\b.css");
                    break;
                case "link":
                    archive.CreateEntry("passwd.txt").ExternalAttributes = unchecked((int)0xA1FF0000);
                    break;
                case "program":
                    Put("run.php");
                    break;
                case "no-page":
                    Put("readme.txt");
                    break;
                case "twice":
                    Put("index.html");
                    break;
            }
        }
        return memory.ToArray();
    }

    private async Task<(Page? Page, string Screen)> FetchAsync(string slug, Uri address)
    {
        var tested = await wexil.StartTestAsync(slug);
        using var owner = await wexil.OwnerAsync();
        var started = await WexilFixture.PostAsync(
            owner,
            $"/f/{slug}/{slug}/build/add",
            "Fetch",
            ("Address", address.ToString())
        );
        var screen = await OverAsync(owner, started.Headers.Location!.ToString());
        var pages = wexil.Get<PageStore>().ForStep(tested.Step.Id);
        return (pages.Count == 3 ? pages[2] : null, screen);
    }

    private static async Task<string> OverAsync(HttpClient owner, string screen)
    {
        await Eventually.HoldsAsync(async () =>
        {
            var progress = await owner.GetStringAsync($"{screen}?handler=Progress");
            return progress.Contains("\"over\":true", StringComparison.Ordinal);
        });
        return WebUtility.HtmlDecode(await owner.GetStringAsync(screen));
    }

    /// <summary>Somebody else's site, made of what it answers.</summary>
    private sealed class Site(WebApplication app, Uri address) : IAsyncDisposable
    {
        public Uri Address => address;

        public static async Task<Site> StartAsync(
            Dictionary<string, (string Type, byte[] Content)> files,
            RequestDelegate? special = null,
            string? specialPath = null
        )
        {
            var address = new Uri($"http://127.0.0.1:{WexilFixture.FreePort()}/");
            var builder = WebApplication.CreateSlimBuilder();
            builder.Logging.ClearProviders();
            builder.WebHost.UseUrls(address.GetLeftPart(UriPartial.Authority));
            var app = builder.Build();
            app.Run(async http =>
            {
                if (special is not null && http.Request.Path == specialPath)
                    await special(http);
                else if (files.TryGetValue(http.Request.Path.Value!, out var file))
                {
                    http.Response.ContentType = file.Type;
                    await http.Response.Body.WriteAsync(file.Content);
                }
                else
                    http.Response.StatusCode = StatusCodes.Status404NotFound;
            });
            await app.StartAsync();
            return new(app, address);
        }

        public ValueTask DisposeAsync() => app.DisposeAsync();
    }
}
