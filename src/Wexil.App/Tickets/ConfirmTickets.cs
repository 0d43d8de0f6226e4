using System.Globalization;
using Wexil.Core.Common;

namespace Wexil.App.Tickets;

/// <summary>Links by which somebody confirms an address; signed, and good for thirty days.</summary>
public sealed class ConfirmTickets(ITicketSeal seal)
{
    private const string Purpose = "confirm";
    private static readonly TimeSpan Life = TimeSpan.FromDays(30);

    /// <summary>A ticket for the mail to an address.</summary>
    public string Issue(StepId step, string email) => seal.Seal(Purpose, $"{step.Value}\n{email}", Life);

    /// <summary>What a ticket is for; null for one that is not ours or over.</summary>
    public (StepId Step, string Email)? Open(string ticket) =>
        seal.Open(Purpose, ticket)?.Split('\n', 2) is [var step, var email]
            ? (new(long.Parse(step, CultureInfo.InvariantCulture)), email)
            : null;
}
