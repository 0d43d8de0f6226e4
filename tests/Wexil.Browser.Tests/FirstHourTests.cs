using Microsoft.Extensions.DependencyInjection;
using OpenQA.Selenium;
using Wexil.App.Visits;
using Wexil.Core.Funnels;
using Wexil.Store;
using Wexil.Web.Studio.Account;

namespace Wexil.Browser.Tests;

/// <summary>From the first link that is printed to a test that runs, by each way that a page can come in.</summary>
public sealed class FirstHourTests
{
    public static TheoryData<string, int, int> Ways
    {
        get
        {
            var ways = new TheoryData<string, int, int>();
            foreach (var way in new[] { "address", "file", "starter" })
            {
                ways.Add(way, 1280, 800);
                ways.Add(way, 390, 844);
            }
            return ways;
        }
    }

    private const string Form = "<form><input type=email name=email><button>Send</button></form>";

    [Theory]
    [MemberData(nameof(Ways))]
    public async Task An_owner_comes_from_the_first_link_to_a_running_test(string way, int width, int height)
    {
        await using var site = await Site.StartAsync();
        await using var elsewhere = await Site.ElsewhereAsync(_ => new Dictionary<string, string>
        {
            ["kit"] = $"<title>Kit</title><h1>The harvest kit</h1>{Form}",
        });
        await site.Host.Services.GetRequiredService<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        using var owner = new Browser(width, height);
        var key = site.Host.Services.GetRequiredService<SignInLinks>().Issue();
        owner.Open(new Uri(site.Studio, $"/first-run?key={key}"));
        owner.IsAccessible();
        owner.Fill("#Password", "a short sentence");
        owner.Fill("#OwnerName", "Larkrow Balcony Gardens");
        owner.Press("Get started");

        // The questions come one after the other, and what is missing is said by the field.
        owner.WaitForText("What do you have?");
        owner.IsAccessible();
        owner.Press("Continue");
        owner.WaitForText("Enter what you offer");
        owner.IsAccessible();
        owner.Fill("#Name", "Harvest kit");
        owner.Find($"#from-{way}").Click();
        if (way == "address")
            owner.Fill("#Address", elsewhere.Urls.Single() + "/kit");
        if (way == "file")
            owner.Find("#Upload").SendKeys(PageFile());
        owner.Press("Continue");
        if (way == "address")
            owner.Press("Next: create a second page");

        // The way can be left, and Today leads on from where it was left.
        owner.WaitForText("Headline of the second page");
        owner.IsAccessible();
        owner.Open(site.Studio, "/");
        owner.WaitForText("Create a second page");
        owner.Press("Continue");
        owner.WaitForText("Headline of the second page");
        owner.Fill("#Words", "Your first salad in 21 days");
        owner.Press("Create the second page");
        owner.Press("Start the test");
        owner.WaitForText("The test is running.");
        owner.IsAccessible();

        // The link shows the two pages, and the list on Today is gone.
        var link = owner.Find("#link").Text;
        Assert.EndsWith("/go/harvest-kit", link, StringComparison.Ordinal);
        // Each visit is somebody else.
        using var visitor = new HttpClient(new SocketsHttpHandler { UseCookies = false });
        visitor.DefaultRequestHeaders.UserAgent.ParseAdd("Mozilla/5.0 (X11; Linux x86_64) Chrome/140.0.0.0");
        var shown = new HashSet<bool>();
        for (var i = 0; i < 40 && shown.Count < 2; i++)
            shown.Add((await visitor.GetStringAsync(link)).Contains("Your first salad", StringComparison.Ordinal));
        Assert.Equal(2, shown.Count);
        owner.Open(site.Studio, "/");
        owner.WaitForText("One test is running.");
        Assert.DoesNotContain("Create a second page", owner.Text, StringComparison.Ordinal);
    }

    [Fact]
    public async Task On_a_phone_the_header_is_a_line_with_a_menu()
    {
        await using var site = await Site.StartAsync();
        var funnels = site.Host.Services.GetRequiredService<FunnelStore>();
        var funnel = await funnels.CreateAsync("Harvest");
        await funnels.AddStepAsync(funnel.Id, StepKind.OptIn, "Kit", "kit");
        using var owner = new Browser(390, 844);
        site.SignIn(owner);
        owner.Open(site.Studio, "/");
        Assert.InRange(owner.Find("header.top").Size.Height, 40, 56);
        Assert.False(owner.Find("#jump").Displayed);
        owner.Press("Menu");
        owner.WaitFor(() => owner.Find("#jump").Displayed ? "" : null);
        owner.IsAccessible();
        owner.Press("Settings");
        owner.WaitForText("Your time zone");
        // The key for searching opens the menu too.
        owner.Find("body").SendKeys("/");
        owner.WaitFor(() => owner.Find("#jump").Displayed ? "" : null);
        owner.Type("Kit" + Keys.Enter);
        owner.WaitForText("opt-in");
    }

    private static string PageFile()
    {
        var path = Path.Combine(Directory.CreateTempSubdirectory("wexil-page").FullName, "kit.html");
        File.WriteAllText(
            path,
            "<!doctype html><title>Kit</title><h1>The harvest kit</h1><p>Grows in six weeks.</p>" + Form
        );
        return path;
    }
}
