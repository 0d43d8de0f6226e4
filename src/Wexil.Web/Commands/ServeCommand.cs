using System.CommandLine;
using System.Net;
using Wexil.Web.Hosting;

namespace Wexil.Web.Commands;

/// <summary><c>wexil serve</c>: the owner's own data.</summary>
public static class ServeCommand
{
    public static Command Create()
    {
        var data = new Option<string>("--data")
        {
            Description = "The data folder (also WEXIL_DATA).",
            DefaultValueFactory = _ => CommandOptions.FromEnvironment("WEXIL_DATA") ?? CommandOptions.InHome("data"),
        };
        var addresses = new AddressOptions();
        var publicStudio = CommandOptions.Address(
            "--public-studio",
            "Studio's address as browsers see it, behind a proxy.",
            null
        );
        var publicVisitors = CommandOptions.Address(
            "--public-visitors",
            "The visitors' address as browsers see it: the one in ads.",
            null
        );
        var powerLoss = new Option<bool>("--survive-power-loss") { Description = "Wait for the disk at every commit." };
        var proxies = Proxies();
        var countryHeader = new Option<string?>("--country-header")
        {
            Description = "Header in which a trusted proxy says the visitor's country, two letters.",
        };
        var serve = new Command("serve", "Starts Wexil with an empty or existing data folder.")
        {
            data,
            addresses.Studio,
            addresses.Visitors,
            publicStudio,
            publicVisitors,
            powerLoss,
            proxies,
            countryHeader,
        };
        serve.SetAction(
            (result, _) =>
                HostRun.GuardedAsync(() =>
                    RunAsync(
                        new WexilOptions
                        {
                            Data = result.GetValue(data)!,
                            Studio = result.GetValue(addresses.Studio)!,
                            Visitors = result.GetValue(addresses.Visitors)!,
                            PublicStudio = result.GetValue(publicStudio),
                            PublicVisitors = result.GetValue(publicVisitors),
                            SurvivePowerLoss = result.GetValue(powerLoss),
                            TrustedProxies = [.. (result.GetValue(proxies) ?? []).Select(IPAddress.Parse)],
                            CountryHeader = result.GetValue(countryHeader),
                            // By the environment, because others on the machine can read a command line.
                            Smtp = CommandOptions.Smtp(CommandOptions.FromEnvironment("WEXIL_SMTP")),
                            MailFrom = CommandOptions.FromEnvironment("WEXIL_MAIL_FROM") ?? "wexil@localhost",
                        }
                    )
                )
        );
        return serve;
    }

    private static Option<string[]> Proxies()
    {
        var proxies = new Option<string[]>("--trusted-proxy")
        {
            Description = "Address of a proxy in front that may say for whom it asks; may be given several times.",
        };
        proxies.Validators.Add(result =>
        {
            foreach (var token in result.Tokens)
                if (!IPAddress.TryParse(token.Value, out _))
                    result.AddError($"--trusted-proxy is not an address such as 10.0.0.2: {token.Value}");
        });
        return proxies;
    }

    private static async Task RunAsync(WexilOptions options)
    {
        HostRun.CheckHosts(options);
        using var end = new EndRequest();
        await using var host = await WexilHost.StartAsync(options);
        HostRun.Announce(host, isFirstRunOffered: true);
        await end.WaitAsync(host);
    }
}
