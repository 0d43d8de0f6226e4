using System.Diagnostics;
using Wexil.App;
using Wexil.App.Monitoring;
using Wexil.App.Wording;
using Wexil.Demo.Simulators;
using Wexil.Store;
using Wexil.Web.Commands;
using Wexil.Web.Hosting;

namespace Wexil.Demo;

/// <summary>
/// Larkrow Balcony Gardens, made up: four funnels, and a few weeks of simulated visitors recorded as real ones are. A
/// page and a banner are ready to keep, a page that was kept is checked, other tests are too early, one has a problem.
/// </summary>
public static class DemoWorld
{
    internal const string NetworkTag = "windowbox";

    private const int About = 55_000;

    /// <summary>Fills an empty store; one that has funnels already is left as it is.</summary>
    /// <param name="progress">Where it is shown how far it is; null for nowhere.</param>
    public static async Task FillAsync(
        WexilHost host,
        TextWriter says,
        SimulatorAddresses? simulators = null,
        ProgressLine? progress = null
    )
    {
        if (host.Services.GetRequiredService<FunnelStore>().All().Count > 0)
            return;
        var watch = Stopwatch.StartNew();
        var settings = host.Services.GetRequiredService<SettingStore>();
        await host.Services.GetRequiredService<SecretStore>().RenewHookSecretAsync();
        // The made-up site lies on this machine.
        await settings.SetFetchesPrivateAddressesAsync(true);
        var demo = new DemoBuilder(host, simulators ?? SimulatorAddresses.Default);
        var recording = $"Recording about {Format.Count(About)} made-up visitors";
        progress?.Begin(recording);
        var visitors = new DemoVisitors(host, demo.Now, count => progress?.Say(recording, (double)count / About));
        await new BalconyHarvest(demo, visitors).MakeAsync();
        await HerbClub.MakeAsync(demo, visitors);
        await BalconyNotes.MakeAsync(demo, visitors);
        await SpringLetter.MakeAsync(demo, visitors);
        await DemoTeam.JoinAsync(host, demo.Now);
        progress?.Begin("Looking at the tests as the weeks went by");
        await new DemoLooks(host, demo.Now).TakeAsync();
        // The hourly look, without waiting for the hour.
        await host.Services.GetRequiredService<TestMonitor>().LookAsync();
        progress?.End();
        await says.WriteLineAsync(
            $"{Format.Count(visitors.Count)} simulated visitors recorded and counted in "
                + $"{watch.Elapsed.TotalSeconds:0.0} seconds."
        );
    }

    /// <summary>The link that the demo's ad network sends people to.</summary>
    public static string NetworkLink(WexilHost host) =>
        host.Services.GetRequiredService<VisitorsAddress>().Link("calendar")
        + $"?s={NetworkTag}&click={{click_id}}&cost={{cost}}";
}
