namespace Wexil.App.Tickets;

/// <summary>
/// Signed tickets that mark the device that opens one as the owner's, so that its visits do not count.
/// </summary>
public sealed class OwnDeviceTickets(ITicketSeal seal)
{
    private const string Purpose = "mine";

    /// <summary>A ticket that is good for so long.</summary>
    public string Issue(TimeSpan life) => seal.Seal(Purpose, Purpose, life);

    /// <summary>False for one that is not ours or over.</summary>
    public bool IsValid(string ticket) => seal.Open(Purpose, ticket) == Purpose;
}
