using System.CommandLine;
using Wexil.Web.Hosting;

namespace Wexil.Web.Commands;

/// <summary><c>wexil serve</c>: the owner's own data.</summary>
public static class ServeCommand
{
    public static Command Create()
    {
        var options = new ServeOptions();
        var serve = new Command("serve", "Starts Wexil with an empty or existing data folder.");
        options.AddTo(serve);
        serve.SetAction((result, _) => HostRun.GuardedAsync(() => RunAsync(options.Read(result))));
        return serve;
    }

    private static async Task RunAsync(WexilOptions options)
    {
        HostRun.CheckHosts(options);
        using var end = new EndRequest();
        await using var host = await WexilHost.StartAsync(options);
        HostRun.Announce(host);
        await end.WaitAsync(host);
    }
}
