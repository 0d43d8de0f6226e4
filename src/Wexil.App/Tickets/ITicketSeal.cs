namespace Wexil.App.Tickets;

/// <summary>Signs what a ticket says and for how long, with the keys of this installation.</summary>
public interface ITicketSeal
{
    /// <summary>The ticket: text that nobody else can make or change, fit for an address.</summary>
    /// <param name="purpose">What the ticket is for; one for another purpose does not open here.</param>
    /// <param name="life">How long it opens.</param>
    string Seal(string purpose, string text, TimeSpan life);

    /// <summary>What a ticket says; null for one that is not ours, is for another purpose, or is over.</summary>
    string? Open(string purpose, string ticket);
}
