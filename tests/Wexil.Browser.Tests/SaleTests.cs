using Microsoft.Extensions.DependencyInjection;
using Wexil.App.Outbox;
using Wexil.App.Visits;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;
using Wexil.Demo.Simulators;
using Wexil.Store;

namespace Wexil.Browser.Tests;

/// <summary>
/// From the opt-in to the refund, in two people's browsers, with a till that tells of its sales as a payment service
/// does.
/// </summary>
public sealed class SaleTests
{
    [Fact]
    public async Task Two_buyers_pay_in_the_till_and_every_coin_lands_on_the_page_that_each_was_shown()
    {
        await using var site = await Site.StartAsync();
        var settings = site.Host.Services.GetRequiredService<SettingStore>();
        using var owner = new Browser();
        site.SignIn(owner);
        // The owner makes the secret and hands it to the till.
        owner.Open(site.Studio, "/settings");
        owner.Press("Create secret");
        owner.WaitForText("shown only once");
        owner.IsAccessible();
        await using var till = await Till.StartAsync(
            site.Visitors,
            () => site.Host.Services.GetRequiredService<SecretStore>().HookSecret,
            site.Host.Services.GetRequiredService<TimeProvider>(),
            new($"http://127.0.0.3:{Site.FreePort()}")
        );
        var funnel = await FunnelAsync(site, till.Address);

        using Browser first = new(),
            second = new();
        foreach (
            var (buyer, email, page) in new[]
            {
                (first, "ann@larkrow.example", "Kit A"),
                (second, "bo@larkrow.example", "Kit B"),
            }
        )
        {
            buyer.Open(site.Visitors, "/go/calendar");
            buyer.Fill("[name=email]", email);
            buyer.Press("Send it");
            buyer.WaitForText("Look into your inbox");
            buyer.Press("To the kit");
            buyer.WaitForText(page);
            buyer.Press("Order it");
            buyer.WaitForText("Simulated checkout");
            buyer.IsAccessible();
            buyer.Fill("[name=email]", email);
            buyer.Find("[value=fails]").Click();
            buyer.Press("Pay $49.00");
            buyer.WaitForText("The card was refused");
            Assert.Equal(email, buyer.Find("[name=email]").GetAttribute("value"));
            buyer.Press("Pay $49.00");
            buyer.WaitForText("A light for the winter");
        }
        await site.Host.Journal.WhenProjectedAsync();
        Count(owner, site, funnel);
        Assert.Equal(["$49.00", "$49.00"], Brought(owner));

        // The second buyer takes the upsell, and the first wants half back.
        second.Press("Add the light");
        second.WaitForText("Winter light, $24.00");
        second.Fill("[name=email]", "bo@larkrow.example");
        second.Press("Pay $24.00");
        second.WaitForText("Thank you for your order");
        owner.Open(till.Address, "/orders");
        owner.WaitForText("L-1041");
        owner.Press("Half of L-1041");
        owner.WaitForText("$24.50");
        await site.Host.Journal.WhenProjectedAsync();
        Count(owner, site, funnel);
        Assert.Equal(["$24.50", "$73.00"], Brought(owner));
        owner.IsAccessible();

        owner.Press("All sales");
        owner.WaitForText("3 orders in USD");
        owner.WaitForText("$97.50 of $122.00, $24.50 refunded");
        Assert.Contains("ann@larkrow.example", owner.Text, StringComparison.Ordinal);
        owner.IsAccessible();
    }

    [Fact]
    public async Task An_ad_network_is_paid_by_the_click_and_told_of_what_its_click_brought()
    {
        await using var site = await Site.StartAsync();
        var services = site.Host.Services;
        var (settings, time) = (
            services.GetRequiredService<SettingStore>(),
            services.GetRequiredService<TimeProvider>()
        );
        await site.Host.Services.GetRequiredService<SecretStore>().RenewHookSecretAsync();
        await settings.SetFetchesPrivateAddressesAsync(true);
        await using var till = await Till.StartAsync(
            site.Visitors,
            () => site.Host.Services.GetRequiredService<SecretStore>().HookSecret,
            time,
            new($"http://127.0.0.3:{Site.FreePort()}")
        );
        await using var network = await AdNetwork.StartAsync(time, new($"http://127.0.0.4:{Site.FreePort()}"));
        var funnel = await FunnelAsync(site, till.Address);
        using Browser owner = new(),
            buyer = new();
        site.SignIn(owner);

        // The source is made known as a network; what is wrong is said by its field, and nothing typed is lost.
        owner.Open(site.Studio, $"/f/{funnel.Slug}/sources");
        owner.Fill("#Name", "Windowbox");
        owner.Press("Ad network with click IDs");
        owner.Find("#Network_IsOne").Click();
        owner.Fill("#Network_Click", "click={click_id}");
        owner.Fill("#Network_Cost", "cost={cost}");
        owner.Fill("#Network_Postback", $"{network.Address}told?click={{name}}");
        owner.Press("Save the source");
        owner.WaitForText("Put {click_id}");
        Assert.Equal("cost={cost}", owner.Find("#Network_Cost").GetAttribute("value"));
        owner.IsAccessible();
        owner.Fill("#Network_Postback", network.Address.GetLeftPart(UriPartial.Authority) + AdNetwork.PostbackPath);
        owner.Press("Save the source");
        owner.WaitForText("Windowbox saved");
        var link = owner.Find("table.links code").Text;
        Assert.EndsWith("&click={click_id}&cost={cost}", link, StringComparison.Ordinal);

        // A campaign with a budget for two clicks; the second person looks and leaves.
        owner.Open(network.Address);
        owner.Fill("[name=name]", "Salad");
        owner.Fill("[name=link]", link);
        owner.Fill("[name=price]", "2");
        owner.Fill("[name=budget]", "5");
        owner.Press("Create campaign");
        owner.WaitForText("$0.00 of $5.00");
        owner.IsAccessible();
        var campaign = owner.Address;
        buyer.Open(new(campaign));
        buyer.Press("Ad: Salad");
        buyer.WaitForText("The calendar");
        buyer.Fill("[name=email]", "ann@larkrow.example");
        buyer.Press("Send it");
        buyer.WaitForText("Look into your inbox");
        buyer.Press("To the kit");
        buyer.Press("Order it");
        buyer.Fill("[name=email]", "ann@larkrow.example");
        buyer.Press("Pay $49.00");
        buyer.WaitForText("A light for the winter");
        buyer.ForgetCookies();
        buyer.Open(new(campaign));
        buyer.Press("Ad: Salad");
        buyer.WaitForText("The calendar");
        buyer.Open(new(campaign));
        buyer.Press("Ad: Salad");
        buyer.WaitForText("Its budget is used up");

        await site.Host.Journal.WhenProjectedAsync();
        await services.GetRequiredService<OutboxDelivery>().SendDueAsync(default);
        owner.Open(new(campaign));
        owner.WaitForText("opt-in, sale of 49.00 USD");

        var line = services
            .GetRequiredService<SourceStore>()
            .Lines(funnel.Id, Currency.Default)
            .Single(line => line.Name == "Windowbox");
        Assert.Equal((2L, 2L, 1L, 1L, 4900L), (line.Clicks, line.Visitors, line.OptIns, line.Orders, line.Earned));
        Assert.InRange(line.Spent!.Value, 320, 480);
        owner.Open(site.Studio, $"/f/{funnel.Slug}/sources?edit={line.Source!.Id.Value}");
        owner.WaitForText("2 conversions reported.");
        owner.WaitForText(Currency.Default.Show(line.Spent.Value));
        Assert.Contains($"${line.Spent.Value / 100m:0.00} of $5.00", Read(owner, campaign), StringComparison.Ordinal);
    }

    private static string Read(Browser owner, string address)
    {
        owner.Open(new(address));
        return owner.Text;
    }

    private static void Count(Browser owner, Site site, Funnel funnel)
    {
        owner.Open(site.Studio, $"/f/{funnel.Slug}/kit/count");
        owner.WaitForText("Revenue by page");
    }

    private static string[] Brought(Browser owner) =>
        [.. owner.All("[data-live=money] > table tbody tr td:nth-child(4)").Select(cell => cell.Text)];

    internal static async Task<Funnel> FunnelAsync(Site site, Uri till)
    {
        var funnels = site.Host.Services.GetRequiredService<FunnelStore>();
        var pages = site.Host.Services.GetRequiredService<PageStore>();
        static FunnelPage Hosted(string name, string html) =>
            new(
                name,
                new(
                    [
                        new(
                            "index.html",
                            System.Text.Encoding.UTF8.GetBytes(
                                "<!doctype html><html lang=en><title>x</title><main>" + html
                            )
                        ),
                    ],
                    "index.html"
                ),
                null
            );
        string Kit(string name) => $"<h1>{name}</h1><p><a href=\"{new Uri(till, "order/kit")}\">Order it</a></p>";
        var funnel = await funnels.CreateAsync(
            "Balcony Harvest",
            [
                new(
                    StepKind.OptIn,
                    "Calendar",
                    "calendar",
                    [
                        Hosted(
                            "Calendar",
                            "<h1>The calendar</h1><form><label>E-mail <input type=email "
                                + "name=email></label><button>Send it</button></form>"
                        ),
                    ]
                ),
                new(
                    StepKind.ThankYou,
                    "Inbox",
                    "inbox",
                    [Hosted("Inbox", "<h1>Look into your inbox</h1><a href=/go/kit>To the kit</a>")]
                ),
                new(StepKind.Sales, "Kit", "kit", [Hosted("Kit A", Kit("Kit A")), Hosted("Kit B", Kit("Kit B"))]),
                new(StepKind.Checkout, "Checkout", "checkout", [new("Till", null, new(till, "order/kit"))]),
                new(
                    StepKind.Upsell,
                    "Light",
                    "light",
                    [
                        Hosted(
                            "Light",
                            "<h1>A light for the winter</h1><a data-wexil=buy "
                                + $"href=\"{new Uri(till, "order/light")}\">Add the light</a>"
                        ),
                    ]
                ),
                new(
                    StepKind.ThankYou,
                    "Received",
                    "received",
                    [Hosted("Received", "<h1>Thank you for your order</h1>")]
                ),
            ]
        );
        var steps = funnels.Steps(funnel.Id);
        await site
            .Host.Services.GetRequiredService<TestStore>()
            .StartAsync(
                new(
                    steps[2].Id,
                    steps[5].Id,
                    "Kit",
                    "",
                    0.05,
                    0.2,
                    [.. pages.ForStep(steps[2].Id).Select(page => page.Id)],
                    Weights.Even(2),
                    TestSettings.Default with
                    {
                        Allocation = Allocation.Rotation,
                    }
                )
            );
        return funnel;
    }
}
