using System.Security.Cryptography;
using Microsoft.AspNetCore.DataProtection;
using Wexil.App.Tickets;

namespace Wexil.Web.Hosting;

/// <summary>Seals tickets by the framework's data protection, with the keys in the data folder.</summary>
internal sealed class TicketSeal(IDataProtectionProvider protection) : ITicketSeal
{
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
