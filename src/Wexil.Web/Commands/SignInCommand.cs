using System.CommandLine;
using Wexil.Store;
using Wexil.Web.Hosting;
using Wexil.Web.Studio.Account;

namespace Wexil.Web.Commands;

/// <summary><c>wexil sign-in</c>: a link into Studio for whoever can read the data folder.</summary>
public static class SignInCommand
{
    public static Command Create()
    {
        var data = CommandOptions.Data();
        var command = new Command("sign-in", "Prints a link that signs in to the running Wexil once.") { data };
        command.SetAction(
            (result, _) =>
                HostRun.GuardedAsync(() =>
                {
                    var folder = new DataPaths(Path.GetFullPath(result.GetValue(data)!));
                    Console.WriteLine(Link(folder));
                    Console.WriteLine("It works once, within a quarter of an hour, while Wexil runs.");
                    return Task.CompletedTask;
                })
        );
        return command;
    }

    private static string Link(DataPaths folder)
    {
        if (!File.Exists(folder.StudioAddressFile))
            throw new StoreException($"No Wexil was started with the data folder {folder.Path} yet.");
        try
        {
#pragma warning disable RS0030 // The command line is where the clock comes in.
            var now = TimeProvider.System.GetUtcNow();
#pragma warning restore RS0030
            var key = SignInLinks.IssueTicket(TicketSeal.For(folder), now);
            return $"{File.ReadAllText(folder.StudioAddressFile)}/sign-in?key={key}";
        }
        catch (UnauthorizedAccessException error)
        {
            throw new StoreException(
                $"The data folder {folder.Path} is not yours to read; run this as its user.",
                error
            );
        }
    }
}
