using System.Net.Sockets;
using Wexil.App;
using Wexil.Store;
using Wexil.Store.Team;
using Wexil.Web.Hosting;
using Wexil.Web.Studio.Account;

namespace Wexil.Web.Commands;

/// <summary>What every command does that starts a host.</summary>
public static class HostRun
{
    /// <summary>
    /// Studio and the visitors' side need names of their own: cookies ignore ports and reach the names below, and a
    /// marketer's page must be able neither to read the signed-in side nor to throw its cookies out.
    /// </summary>
    /// <exception cref="StoreException">They do not have them.</exception>
    public static void CheckHosts(WexilOptions options)
    {
        var studio = HostOf(options.StudioAddress, "--public-studio");
        string[] visitors = [HostOf(options.VisitorsAddress, "--public-visitors"), .. options.VisitorsNames];
        foreach (var name in visitors)
        {
            if (name.Equals(studio, StringComparison.OrdinalIgnoreCase))
                throw new StoreException(
                    $"Studio and the visitors' side both have the host name {name}. They need two different ones, "
                        + "such as localhost and 127.0.0.1, or studio.example.com and go.example.net: cookies ignore "
                        + "ports, and pages must not be able to read the signed-in side."
                );
            if (IsBelow(name, studio) || IsBelow(studio, name))
                throw new StoreException(
                    $"Of the host names {studio} and {name} one lies below the other, so that pages could set cookies "
                        + "for the signed-in side. Choose two that stand side by side or, better, two domains."
                );
        }
    }

    private static string HostOf(Uri address, string option) =>
        address.Scheme == DoorListening.UnixScheme
            ? throw new StoreException($"Where a unix socket is listened on, {option} says what browsers see.")
            : address.Host;

    private static bool IsBelow(string name, string other) =>
        name.EndsWith("." + other, StringComparison.OrdinalIgnoreCase);

    /// <summary>Prints where both doors are; for the first run, a link to set the password.</summary>
    public static void Announce(WexilHost host)
    {
        var studio = Greet(host);
        if (host.Services.GetRequiredService<TeamStore>().Owner.PasswordHash is not null)
            Console.WriteLine($"Sign in at        {studio} (wexil sign-in prints a link where the password is lost)");
        else
            Console.WriteLine($"Set your password {studio}/first-run?key={KeyOf(host)} (this link works once)");
        Console.WriteLine("Press Ctrl+C to stop Wexil.");
    }

    /// <summary>The same for made-up data, which needs no password.</summary>
    public static void AnnounceDemo(WexilHost host)
    {
        Console.WriteLine($"Sign in           {Greet(host)}/sign-in?key={KeyOf(host)}");
        Console.WriteLine("This link works once. Press Ctrl+C to stop Wexil.");
    }

    private static string Greet(WexilHost host)
    {
        Console.WriteLine($"Visitors come to  {host.Services.GetRequiredService<VisitorsAddress>().Origin}");
        return host.Services.GetRequiredService<StudioAddress>().Origin;
    }

    private static string KeyOf(WexilHost host) => host.Services.GetRequiredService<SignInLinks>().Issue();

    /// <summary>Runs; what a person can mend is one clear line, not a stack trace.</summary>
    /// <returns>The exit code: 0, or 1 after such a line.</returns>
    public static async Task<int> GuardedAsync(Func<Task> run)
    {
        try
        {
            await run();
            return 0;
        }
        catch (StoreException error)
        {
            await Console.Error.WriteLineAsync($"wexil: {error.Message}");
        }
        catch (IOException error)
            when (error.InnerException is Microsoft.AspNetCore.Connections.AddressInUseException
                || error.Message.Contains("in use", StringComparison.Ordinal)
            )
        {
            await Console.Error.WriteLineAsync(
                $"wexil: {error.Message.TrimEnd('.')}. Is another Wexil running? "
                    + "Use --studio and --visitors to choose other addresses."
            );
        }
        catch (SocketException error)
        {
            await Console.Error.WriteLineAsync($"wexil: cannot listen on an address: {error.Message}");
        }
        return 1;
    }
}
