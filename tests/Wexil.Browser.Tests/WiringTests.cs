using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Time.Testing;
using Wexil.App.Visits;
using Wexil.Core.Funnels;
using Wexil.Store;

namespace Wexil.Browser.Tests;

/// <summary>
/// An outside site is wired by who looks after it, seen to work, and counted, each of them in a browser of their own.
/// </summary>
public sealed class WiringTests
{
    [Fact]
    public async Task An_outside_site_is_found_broken_mended_by_its_keeper_and_counts_clicks_stays_and_conversions()
    {
        await using var site = await Site.StartAsync();
        var services = site.Host.Services;
        var script = $"<script src=\"{new Uri(site.Visitors, "wexil.js")}\" defer></script>";
        static string Html(string head, string body) =>
            "<!doctype html><html "
            + $"lang=en><head><title>Kit</title>{head}</head><body><main>{body}</main></body></html>";
        var served = new Dictionary<string, string>
        {
            ["kit"] = Html(script, "<h1>The kit</h1><p><a href=thanks id=buy>Order it</a></p>"),
            ["kit-b"] = Html(script, "<h1>The guarantee</h1><p><a href=thanks id=buy>Order it</a></p>"),
            ["thanks"] = Html("", "<h1>Thank you</h1>"),
        };
        await using var elsewhere = await Site.ElsewhereAsync(_ => served);
        var address = new Uri(elsewhere.Urls.Single());
        await services.GetRequiredService<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        FunnelPage Outside(string name, string path) => new(name, null, new(address, path));
        var funnel = await services
            .GetRequiredService<FunnelStore>()
            .CreateAsync(
                "Harvest",
                [
                    new(StepKind.Sales, "Kit", "kit", [Outside("The kit", "kit"), Outside("The guarantee", "kit-b")]),
                    new(StepKind.ThankYou, "Thanks", "thanks", [Outside("Thank you", "thanks")]),
                ]
            );

        // Checked before the start the owner is told what is missing, and hands it to the site's keeper.
        using Browser owner = new(),
            keeper = new(),
            visitor = new();
        site.SignIn(owner);
        owner.Open(site.Studio, $"/f/{funnel.Slug}/kit/send");
        owner.Press("Check before starting");
        owner.WaitForText("“Thank you”: The script is not in the page.");
        owner.IsAccessible();
        owner.Open(site.Studio, $"/f/{funnel.Slug}/wiring");
        owner.Press("Check all pages");
        owner.WaitForText("3 pages checked: 1 has a problem.");
        owner.IsAccessible();
        owner.Press("Create link");
        keeper.Open(new Uri(owner.WaitFor(() => owner.All("p.link").SingleOrDefault()?.Text)!));
        keeper.WaitForText("The script is not in the page. Paste");
        keeper.IsAccessible();
        served["thanks"] = Html(keeper.All("pre").First().Text, "<h1>Thank you</h1>");
        ((FakeTimeProvider)services.GetRequiredService<TimeProvider>()).Advance(TimeSpan.FromMinutes(1));
        keeper.All("section form button").Last().Click();
        keeper.WaitFor(() => keeper.Text.Contains("is not in the page", StringComparison.Ordinal) ? null : "");

        // The test starts with nothing left to mend, and a click is counted besides.
        owner.Open(site.Studio, $"/f/{funnel.Slug}/kit/send");
        owner.Press("Check before starting");
        owner.WaitForText("“Thank you” responds and has the tracking script.");
        owner.Fill("#BaseRate", "25");
        owner.Press("Start the test");
        owner.WaitForText("The test is running.");
        owner.Open(site.Studio, $"/f/{funnel.Slug}/kit/goals");
        owner.Find("#Form_Kind").SendKeys("Clicks");
        owner.Fill("#Form_Element", "#buy");
        owner.Fill("#Form_Name", "Order clicked");
        owner.Press("Add the goal");
        owner.WaitForText("“Order clicked” counts from now on.");
        owner.IsAccessible();

        visitor.Open(site.Visitors, "/go/kit");
        visitor.WaitForText("Order it");
        visitor.WaitFor(() =>
            visitor.Run("return document.cookie") is string cookie
            && cookie.Contains("wx_visitor", StringComparison.Ordinal)
                ? ""
                : null
        );
        visitor.Press("Order it");
        visitor.WaitForText("Thank you");
        owner.WaitFor(() =>
        {
            owner.Open(site.Studio, $"/f/{funnel.Slug}/kit/count");
            return
                owner.Text.Contains("1 visitor", StringComparison.Ordinal)
                && owner.Text.Contains("1 sale", StringComparison.Ordinal)
                && owner.Text.Contains("of 1 measured", StringComparison.Ordinal)
                ? ""
                : null;
        });
        owner.Press("Order clicked");
        owner.WaitForText("clicks on #buy");
        Assert.Equal(
            ["1", "0"],
            owner.All("[data-live=table] > table tbody tr td:nth-child(3)").Select(cell => cell.Text).OrderDescending()
        );
        Assert.Contains("Checked before the start", owner.Text, StringComparison.Ordinal);
        owner.IsAccessible();
        owner.Open(site.Studio, $"/f/{funnel.Slug}/wiring");
        owner.WaitForText("Last visit recorded just now.");
    }
}
