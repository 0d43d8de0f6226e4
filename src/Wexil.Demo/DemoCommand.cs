using System.CommandLine;
using Wexil.Demo.Simulators;
using Wexil.Store;
using Wexil.Web.Commands;
using Wexil.Web.Hosting;

namespace Wexil.Demo;

/// <summary><c>wexil demo</c>: made-up funnels, and the world around them.</summary>
public static class DemoCommand
{
    // Order numbers rise from one start to the next, as a till's do.
    private static readonly DateTimeOffset FirstOrder = new(2026, 1, 1, 0, 0, 0, TimeSpan.Zero);

    public static Command Create()
    {
        var data = new Option<string>("--data")
        {
            Description = "The demo's data folder.",
            DefaultValueFactory = _ => CommandOptions.InHome("demo-data"),
        };
        var addresses = new AddressOptions();
        var fresh = new Option<bool>("--fresh") { Description = "Start over with new demo data." };
        var port = new Option<int>(SimulatorsOption)
        {
            Description = "First of three ports for the simulated site, till and ad network.",
            DefaultValueFactory = _ => SimulatorAddresses.DefaultPort,
        };
        var demo = new Command("demo", "Starts Wexil with made-up funnels and a few weeks of simulated visitors.")
        {
            data,
            addresses.Studio,
            addresses.Visitors,
            fresh,
            port,
        };
        demo.SetAction(
            (result, _) =>
                HostRun.GuardedAsync(() =>
                    RunAsync(
                        new WexilOptions
                        {
                            Data = result.GetValue(data)!,
                            Studio = result.GetValue(addresses.Studio)!,
                            Visitors = result.GetValue(addresses.Visitors)!,
                        },
                        SimulatorAddresses.From(result.GetValue(port)),
                        result.GetValue(fresh)
                    )
                )
        );
        return demo;
    }

    private const string SimulatorsOption = "--simulators";

    private static async Task RunAsync(WexilOptions options, SimulatorAddresses simulators, bool isFresh)
    {
        HostRun.CheckHosts(options);
        simulators.CheckFree(SimulatorsOption);
        if (isFresh || DemoData.IsUnfinished(options.Data))
            DemoData.Clear(options.Data);
        DemoData.Mark(options.Data);
#pragma warning disable RS0030 // The command line is where the clock comes in.
        var time = TimeProvider.System;
#pragma warning restore RS0030
        var now = time.GetUtcNow();
        using var end = new EndRequest();
        var starting = WexilHost.StartAsync(options);
        await using var site = await LarkrowSite.StartAsync(options.Visitors, simulators.Site);
        await using var host = await starting;
        await using var till = await Till.StartAsync(
            options.Visitors,
            () => host.Services.GetRequiredService<SecretStore>().HookSecret,
            time,
            simulators.Till,
            first: (int)(now - FirstOrder).TotalSeconds
        );
        await using var network = await AdNetwork.StartAsync(
            time,
            simulators.Network,
            firstClick: now.ToUnixTimeSeconds()
        );
        using (var progress = new ProgressLine())
            await DemoWorld.FillAsync(host, Console.Out, simulators, progress);
        DemoData.Finish(options.Data);
        network.Add("Windowbox: salad in 21 days", DemoWorld.NetworkLink(host), 0.35m, 60);
        HostRun.AnnounceDemo(host);
        await end.WaitAsync(host);
    }
}
