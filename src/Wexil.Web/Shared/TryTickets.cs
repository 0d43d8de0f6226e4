using System.Security.Cryptography;
using System.Text.Json;
using Microsoft.AspNetCore.DataProtection;
using Wexil.Core.Common;
using Wexil.Core.Visitors;

namespace Wexil.Web.Shared;

/// <summary>As whom the owner tries a link.</summary>
/// <param name="Page">The page to see, whatever would be drawn; null to see what is.</param>
public sealed record TryAs(StepId Step, Traits Traits, PageId? Page);

/// <summary>
/// Signed tickets by which the owner tries a link as somebody else; they live an hour, and nothing that they open
/// counts.
/// </summary>
public sealed class TryTickets(IDataProtectionProvider protection)
{
    /// <summary>The parameter of a link that carries one.</summary>
    public const string Parameter = "wx_try";
    private readonly ITimeLimitedDataProtector _protector = protection
        .CreateProtector("try")
        .ToTimeLimitedDataProtector();
    private readonly ITimeLimitedDataProtector _mine = protection.CreateProtector("mine").ToTimeLimitedDataProtector();

    public string Issue(TryAs setup) => _protector.Protect(JsonSerializer.Serialize(setup), TimeSpan.FromHours(1));

    /// <summary>What a ticket says; null for one that is not ours or over.</summary>
    public TryAs? Open(string ticket) =>
        Read(_protector, ticket) is { } json ? JsonSerializer.Deserialize<TryAs>(json) : null;

    /// <summary>A ticket that marks the device that opens it as the owner's.</summary>
    public string IssueMine(TimeSpan life) => _mine.Protect("mine", life);

    public bool IsMine(string ticket) => Read(_mine, ticket) == "mine";

    private static string? Read(ITimeLimitedDataProtector protector, string ticket)
    {
        try
        {
            return protector.Unprotect(ticket);
        }
        catch (CryptographicException)
        {
            return null;
        }
    }
}
