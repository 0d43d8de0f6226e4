using System.Net.Sockets;
using Wexil.App;
using Wexil.Store;
using Wexil.Web.Hosting;
using Wexil.Web.Studio.Account;

namespace Wexil.Web.Commands;

/// <summary>What every command does that starts a host.</summary>
public static class HostRun
{
    /// <exception cref="StoreException">Both doors have one host.</exception>
    public static void CheckHosts(WexilOptions options)
    {
        if (options.Studio.Host.Equals(options.Visitors.Host, StringComparison.OrdinalIgnoreCase))
            throw new StoreException(
                "--studio and --visitors need two different hosts, such as localhost and 127.0.0.1: cookies "
                    + "ignore ports, and pages must not be able to read the signed-in side."
            );
    }

    /// <summary>Prints where both doors are, and a link that signs in.</summary>
    /// <param name="isFirstRunOffered">An owner without a password is led to set one.</param>
    public static void Announce(WexilHost host, bool isFirstRunOffered)
    {
        var studio = host.Services.GetRequiredService<StudioAddress>().Origin;
        var key = host.Services.GetRequiredService<SignInLinks>().Issue();
        var isFirstRun = isFirstRunOffered && !host.Services.GetRequiredService<Owner>().HasPassword;
        Console.WriteLine($"Visitors come to  {host.Services.GetRequiredService<VisitorsAddress>().Origin}");
        Console.WriteLine(
            isFirstRun
                ? $"Set your password {studio}/first-run?key={key}"
                : $"Sign in           {studio}/sign-in?key={key}"
        );
        Console.WriteLine("This link works once. Press Ctrl+C to stop Wexil.");
    }

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
