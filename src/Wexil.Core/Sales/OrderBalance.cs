namespace Wexil.Core.Sales;

/// <summary>
/// What an order brought so far, in its currency's smallest unit. A refund may come before its sale; it waits, and no
/// order brings less than nothing.
/// </summary>
public readonly record struct OrderBalance(long Sold, long Refunded)
{
    /// <summary>What is left of the order, in the smallest unit; never below 0.</summary>
    public long Net => Math.Max(0, Sold - Refunded);

    /// <summary>Money back for which no sale is known yet.</summary>
    public bool IsWaiting => Sold == 0 && Refunded > 0;

    /// <summary>The balance after one more line of the order.</summary>
    public OrderBalance With(SaleKind kind, long amount) =>
        kind == SaleKind.Sale ? this with { Sold = Sold + amount } : this with { Refunded = Refunded + amount };
}
