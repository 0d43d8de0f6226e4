using System.Security.Cryptography;
using Microsoft.AspNetCore.DataProtection;
using Wexil.App.Tickets;
using Wexil.Store;

namespace Wexil.Web.Hosting;

/// <summary>Seals tickets by the framework's data protection, with the keys in the data folder.</summary>
internal sealed class TicketSeal(IDataProtectionProvider protection) : ITicketSeal
{
    /// <summary>By the keys of a data folder.</summary>
    public static TicketSeal For(DataPaths data) => new(ProtectionFor(data));

    /// <summary>The keys of a data folder.</summary>
    public static IDataProtectionProvider ProtectionFor(DataPaths data) =>
        DataProtectionProvider.Create(new DirectoryInfo(data.Keys), configure =>
            configure.SetApplicationName(Application)
        );

    /// <summary>
    /// Has a key made where there is none yet: another command of the program, or this one on a full disk, finds it.
    /// </summary>
    public void MakeKey()
    {
        try
        {
            Seal("first key", "", TimeSpan.FromMinutes(1));
        }
        catch (IOException)
        {
            // No room just now; whoever needs a key tries again.
        }
    }

    /// <summary>What the keys are for: Studio's cookies are sealed under the same name.</summary>
    public const string Application = "Wexil";

    public string Seal(string purpose, string text, TimeSpan life) => Protector(purpose).Protect(text, life);

    public string? Open(string purpose, string ticket)
    {
        try
        {
            return Protector(purpose).Unprotect(ticket);
        }
        catch (CryptographicException)
        {
            return null;
        }
    }

    private ITimeLimitedDataProtector Protector(string purpose) =>
        protection.CreateProtector(purpose).ToTimeLimitedDataProtector();
}
