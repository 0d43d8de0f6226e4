using System.IO.Compression;
using Microsoft.Extensions.DependencyInjection;
using OpenQA.Selenium;
using Wexil.Store;
using Wexil.Tests;
using Wexil.Web.Studio.Account;

namespace Wexil.Browser.Tests;

/// <summary>The whole job as a person does it, in one walk.</summary>
public sealed class WholeJobTests
{
    private static readonly string Landing = Path.Combine(
        AppContext.BaseDirectory,
        "lib",
        "startbootstrap-landing-page",
        "dist"
    );

    [Fact]
    public async Task From_an_empty_studio_to_a_page_kept()
    {
        await using var site = await Site.StartAsync();
        using var owner = new Browser();
        foreach (
            var door in new[]
            {
                "/sign-in",
                $"/first-run?key={site.Host.Services.GetRequiredService<SignInLinks>().Issue()}",
                "/first-run",
            }
        )
        {
            owner.Open(site.Studio, door);
            owner.IsAccessible();
        }
        site.SignIn(owner);
        foreach (var path in new[] { "/jump?q=nothing", "/f/nothing/here/build", "/people" })
        {
            owner.Open(site.Studio, path);
            owner.IsAccessible();
        }
        owner.Open(site.Studio);

        // A funnel from a starter.
        owner.WaitForText("Start your first test");
        owner.IsAccessible();
        owner.Press("Create a funnel");
        owner.IsAccessible();
        owner.Fill("#Name", "Balcony Harvest");
        owner.Press("Create funnel");
        owner.WaitForText("Pages on this step");
        owner.WaitForText("Not live yet");
        owner.IsAccessible();
        using (var early = new Browser())
        {
            early.Open(site.Visitors, "/go/balcony-harvest");
            early.WaitForText("This page is not available yet.");
        }
        owner.Press("Make “Short opt-in” live");
        owner.WaitForText("Everyone who opens the step’s link sees “Short opt-in” from now on.");

        // A real landing page from a .zip, which looks as it does from its folder.
        owner.Press("Add a page");
        owner.IsAccessible();
        owner.Press("Import file");
        owner.WaitForText("Choose an .html or .zip file.");
        owner.Find("#Upload").SendKeys(Zip());
        owner.Press("Import file");
        owner.WaitForText("is added, with");
        using (var reader = new Browser())
        {
            reader.Open(new Uri("file://" + Path.Combine(Landing, "index.html")));
            // The page's own script enables its buttons; served by Wexil they work at once.
            reader.Run(
                "for (const button of document.querySelectorAll('form button')) button.classList.remove('disabled')"
            );
            var fromFolder = Whole(reader);
            reader.Open(site.Visitors, "/p/landing-page-start-bootstrap-theme/?try=1");
            Assert.True(
                fromFolder.AsSpan().SequenceEqual(Whole(reader)),
                "served by Wexil, the page looks as from the folder"
            );
        }

        // Cloned, and the headline changed where it stands; visitors see it once it is published.
        owner.Find("article[aria-label^='Landing Page'] form button").Click();
        owner.WaitForText("Change one thing");
        owner.WaitForText("no change yet");
        owner.IsAccessible();
        owner.WaitForTextIn("[data-page]", "Generate more leads");
        owner.ClickIn("[data-page]", "h1");
        owner.Control("a");
        owner.Type("Grow more salad with a professional landing page!" + Keys.Enter);
        owner.WaitForText("Changes one change");
        owner.IsAccessible();
        owner.Press("Rename to “Grow more salad");
        owner.WaitFor(() =>
            owner.Find("#Name").GetAttribute("value")!.StartsWith("Grow more salad", StringComparison.Ordinal)
                ? ""
                : null
        );
        owner.Fill("#Name", "More salad" + Keys.Tab);
        using (var reader = new Browser())
        {
            reader.Open(site.Visitors, "/p/landing-page-start-bootstrap-theme-copy-2/?try=1");
            Assert.StartsWith("Generate more leads", reader.Find("h1").Text, StringComparison.Ordinal);
        }
        owner.Press("Publish");
        owner.WaitForText("“More salad” is published");
        Assert.Contains(
            "Headline changed",
            owner.Find("article[aria-label='More salad']").Text,
            StringComparison.Ordinal
        );
        Assert.Contains("one change", owner.Find("article[aria-label='More salad']").Text, StringComparison.Ordinal);

        // Split over the two, the weights set by keyboard.
        owner.Press("Send");
        owner.WaitForText("Split of this step’s traffic");
        owner.Find("input[aria-label='“Landing Page - Start Bootstrap Theme” is in the test']").Click();
        owner.Find("input[aria-label='“Landing Page - Start Bootstrap Theme” is the control']").Click();
        owner.Find("input[aria-label='“Short opt-in” is in the test']").Click();
        var handle = owner.Find("[role=slider]");
        Assert.Equal("A 50%, B 50%", handle.GetAttribute("aria-valuetext"));
        owner.Run("document.querySelector('[role=slider]').focus()");
        for (var i = 0; i < 10; i++)
            owner.Driver.SwitchTo().ActiveElement().SendKeys(Keys.ArrowLeft);
        Assert.Equal("A 40%, B 60%", owner.Find("[role=slider]").GetAttribute("aria-valuetext"));
        owner.IsAccessible();
        owner.Fill("#BaseRate", "25");
        owner.WaitForText("Also make live: “Thank you”");
        owner.Press("Start the test");
        owner.WaitForText("The test is running.");
        owner.IsAccessible();
        var link = owner.Find(".link").Text;

        // Visitors come; the Count screen follows without being loaded again.
        owner.Press("Count");
        owner.WaitForText("No visitors yet.");
        owner.IsAccessible();
        owner.Run("window.stillTheSame = true; document.querySelector('[data-live=line-build]').stillTheSame = true");
        using var visitor = new Browser();
        var seen = new HashSet<string>();
        var people = 0;
        var convinced = 0;
        while (seen.Count < 2 || people < 6)
        {
            visitor.ForgetCookies();
            visitor.Open(new Uri(link));
            var headline = visitor.Find("h1").Text;
            seen.Add(headline);
            people++;
            visitor.Open(new Uri(link));
            Assert.Equal(headline, visitor.Find("h1").Text);
            if (people % 3 == 0)
            {
                visitor.Find("#emailAddress").SendKeys($"reader{people}@larkrow.example" + Keys.Enter);
                visitor.WaitForText("check your inbox");
                convinced++;
            }
            owner.WaitForText(
                $"{people} {(people == 1 ? "visitor" : "visitors")} · {convinced} "
                    + $"{(convinced == 1 ? "opt-in" : "opt-ins")}"
            );
        }
        Assert.Equal(true, owner.Run("return window.stillTheSame"));
        // What says the same stays in place, to be clicked or marked.
        Assert.Equal(true, owner.Run("return document.querySelector('[data-live=line-build]').stillTheSame"));
        owner.WaitForText("Too few opt-ins to tell yet.");
        owner.IsAccessible();

        // The clone is kept: everybody sees it, and it can be taken back.
        owner.Press("Keep a page anyway");
        owner.IsAccessible();
        owner.Find("input[type=radio]:not([value='" + ControlOf(site) + "'])").Click();
        owner.Press("Keep chosen page");
        owner.WaitForText("Too few opt-ins to tell yet. Each needs");
        owner.IsAccessible();
        owner.Press("anyway");
        owner.WaitForText("is shown to everyone");
        owner.IsAccessible();
        for (var i = 0; i < 2; i++)
        {
            visitor.Open(new Uri(link));
            Assert.StartsWith("Grow more salad", visitor.Find("h1").Text, StringComparison.Ordinal);
            visitor.ForgetCookies();
        }
        owner.Press("Undo and resume the test");
        owner.WaitForText("Undone");
        owner.Press("Today");
        owner.WaitForText("Tests running");
        owner.IsAccessible();
        owner.Press("People");
        owner.WaitForText("reader3@larkrow.example");
        owner.IsAccessible();
    }

    [Fact]
    public async Task Pages_that_live_elsewhere_count_through_the_script()
    {
        await using var site = await Site.StartAsync();
        var script = $"<script src=\"{site.Visitors.GetLeftPart(UriPartial.Authority)}/wexil.js\" defer></script>";
        Uri elsewhere = null!;
        await using var other = await Site.ElsewhereAsync(address =>
        {
            elsewhere = address;
            return new Dictionary<string, string>
            {
                ["a"] = $"<title>a</title>{script}<h1>Outside A</h1><a href=/thanks>Join</a>",
                ["b"] = $"<title>b</title>{script}<h1>Outside B</h1><a href=/thanks>Join</a>",
                ["thanks"] = $"<title>t</title>{script}<h1>Thank you</h1>",
            };
        });
        using var owner = new Browser();
        site.SignIn(owner);
        owner.Press("Create a funnel");
        owner.Fill("#Name", "Herb Club");
        owner.Find("#starter-empty").Click();
        owner.Press("Create funnel");
        foreach (
            var (name, kind, slug, pages) in new[]
            {
                ("Seed swap", "opt-in", "swap", new[] { "a", "b" }),
                ("On the list", "thank-you", "list", ["thanks"]),
            }
        )
        {
            if (owner.WaitFor(() => owner.All("#LinkName, .more a").FirstOrDefault()).TagName == "a")
                owner.Find(".more a").Click();
            owner.Fill("#Name", name);
            owner.Find("#Kind").SendKeys(kind);
            owner.Fill("#LinkName", "Seed Swap");
            owner.WaitForText("Use lowercase letters only");
            owner.IsAccessible();
            owner.Fill("#LinkName", slug);
            owner.WaitFor(() => owner.Find("#LinkName-problem").Text.Length == 0 ? "" : null);
            owner.Press("Add the step");
            owner.WaitForText("No page on this step yet");
            owner.IsAccessible();
            foreach (var page in pages)
            {
                owner.Press("Add a page");
                owner.Fill("#Outside", new Uri(elsewhere, page).ToString());
                owner.Press("Use this address");
                owner.WaitForText("paste the tracking script");
                owner.IsAccessible();
                owner.Press("Back");
            }
        }
        owner.Find(".strip .place a").Click();
        owner.Press("Send");
        owner.Fill("#BaseRate", "25");
        owner.Press("Start the test");
        owner.WaitForText("The test is running.");
        owner.Press("Count");
        owner.WaitForText("No visitors yet.");

        using var visitor = new Browser();
        visitor.Open(site.Visitors, "/go/swap?s=letter&plan=2");
        visitor.WaitFor(() =>
            visitor.Address.Contains("wx", StringComparison.Ordinal) ? null : "the token left the address bar"
        );
        Assert.StartsWith(elsewhere.ToString(), visitor.Address, StringComparison.Ordinal);
        Assert.EndsWith("?plan=2", visitor.Address, StringComparison.Ordinal);
        owner.WaitForText("1 visitor · 0 opt-ins");
        visitor.WaitFor(() => visitor.Driver.Manage().Cookies.GetCookieNamed("wx_visitor"));
        visitor.Press("Join");
        visitor.WaitForText("Thank you");
        owner.WaitForText("1 visitor · 1 opt-in");
    }

    private static long ControlOf(Site site) =>
        site.Host.Services.GetRequiredService<TestStore>().Open().Single().Pages[0].Value;

    private static byte[] Whole(Browser browser)
    {
        browser.WaitFor(() =>
            (bool)
                browser.Run(
                    "return document.readyState === 'complete' && [...document.images].every((i) => i.complete)"
                )!
                ? ""
                : null
        );
        return browser.Picture();
    }

    private static string Zip()
    {
        var file = Path.Combine(TemporaryFolder.Create("zip"), "landing.zip");
        ZipFile.CreateFromDirectory(Landing, file, CompressionLevel.Fastest, includeBaseDirectory: true);
        return file;
    }
}
