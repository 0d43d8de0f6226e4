using System.Text.Json;
using Wexil.Core.Common;
using Wexil.Core.Visitors;

namespace Wexil.App.Tickets;

/// <summary>As whom the owner tries a link.</summary>
/// <param name="Page">The page to see, whatever would be drawn; null to see what is.</param>
public sealed record TryAs(StepId Step, Traits Traits, PageId? Page);

/// <summary>
/// Signed tickets by which the owner tries a link as somebody else; they live an hour, and nothing that they open
/// counts.
/// </summary>
public sealed class TryTickets(ITicketSeal seal)
{
    /// <summary>The parameter of a link that carries one.</summary>
    public const string Parameter = "wx_try";
    private const string Purpose = "try";
    private static readonly TimeSpan Life = TimeSpan.FromHours(1);

    /// <summary>A ticket to try a link as somebody.</summary>
    public string Issue(TryAs setup) => seal.Seal(Purpose, JsonSerializer.Serialize(setup), Life);

    /// <summary>What a ticket says; null for one that is not ours or over.</summary>
    public TryAs? Open(string ticket) =>
        seal.Open(Purpose, ticket) is { } json ? JsonSerializer.Deserialize<TryAs>(json) : null;
}
