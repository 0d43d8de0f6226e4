using Wexil.Core.Common;
using Wexil.Core.Sales;

namespace Wexil.Store;

/// <summary>Something that somebody did.</summary>
public abstract record Activity(DateTimeOffset At)
{
    /// <summary>Gave the address.</summary>
    /// <param name="Page">The page's name.</param>
    public sealed record OptedIn(DateTimeOffset At, string Page) : Activity(At);

    /// <summary>Followed the link of the confirmation mail.</summary>
    public sealed record ConfirmedAddress(DateTimeOffset At) : Activity(At);

    /// <summary>Was enrolled in a test.</summary>
    public sealed record ShownPage(DateTimeOffset At, string Page, string Test) : Activity(At);

    /// <summary>Met the main goal of a test.</summary>
    public sealed record Converted(DateTimeOffset At, string Test) : Activity(At);

    /// <summary>Placed an order.</summary>
    /// <param name="Product">Empty where nobody said what it was.</param>
    public sealed record Bought(
        DateTimeOffset At,
        string Order,
        string Product,
        Currency Currency,
        OrderBalance Balance
    ) : Activity(At);

    /// <summary>Was taken in from a file.</summary>
    public sealed record TakenIn(DateTimeOffset At) : Activity(At);
}
