using Microsoft.Extensions.DependencyInjection;
using Wexil.Demo.Simulators;
using Wexil.Store;

namespace Wexil.Browser.Tests;

/// <summary>The owner sees the whole funnel work, orders included, before anybody is paid for.</summary>
public sealed class RehearsalTests
{
    [Theory]
    [InlineData(1280)]
    [InlineData(390)]
    public async Task Rehearsal_visitors_opt_in_buy_and_come_to_the_end_and_one_button_wipes_them(int width)
    {
        await using var site = await Site.StartAsync();
        var settings = site.Host.Services.GetRequiredService<SettingStore>();
        var secrets = site.Host.Services.GetRequiredService<SecretStore>();
        await secrets.RenewHookSecretAsync();
        await using var till = await Till.StartAsync(
            site.Visitors,
            () => secrets.HookSecret,
            site.Host.Services.GetRequiredService<TimeProvider>(),
            new($"http://127.0.0.3:{Site.FreePort()}")
        );
        var funnel = await SaleTests.FunnelAsync(site, till.Address);
        using var owner = new Browser(width);
        site.SignIn(owner);
        owner.Open(site.Studio, $"/f/{funnel.Slug}/steps");
        owner.Press("Rehearse");
        owner.IsAccessible();

        // The checkout is on a private network: said as such, and mended in Settings.
        Send(owner, "2");
        owner.WaitForText("0 of 2 visitors came to the end.");
        owner.WaitForText("is on a private network");
        owner.IsAccessible();
        await settings.SetFetchesPrivateAddressesAsync(true);

        owner.Find("[name=FillsIn][value=true]").Click();
        Send(owner, "6");
        owner.WaitForText("All 6 visitors came to the end");
        owner.WaitForText("drawn for the test");
        owner.WaitForText("bought on “");
        owner.IsAccessible();
        Assert.Equal(width, Convert.ToInt32(owner.Run("return document.documentElement.scrollWidth")));
        Assert.Empty(Orders(site));
        Assert.Empty(site.Host.Services.GetRequiredService<TallyStore>().StepVisitors());

        owner.Press("Wipe this rehearsal");
        owner.WaitForText("The rehearsal is wiped.");
        owner.WaitForText("See the whole funnel work");
    }

    private static void Send(Browser owner, string count)
    {
        owner.Fill("#Count", count);
        owner.Press("Send rehearsal visitors");
    }

    private static IReadOnlyList<LedgerOrder> Orders(Site site) =>
        site
            .Host.Services.GetRequiredService<SaleStore>()
            .Orders(new(DateTimeOffset.UnixEpoch, DateTimeOffset.MaxValue), 9);
}
