namespace Wexil.Core.Sales;

/// <summary>What an order brought with one product, in the currency's smallest unit.</summary>
/// <param name="Product">Empty where nobody said what it was.</param>
/// <param name="Balance">What was sold of the product, and which refunds named it.</param>
public readonly record struct OrderLine(string Product, OrderBalance Balance)
{
    /// <summary>It was sold, and not only refunded.</summary>
    public bool IsSold => Balance.Sold > 0;
}

/// <summary>The products of an order, and what each has of what the order is worth.</summary>
public static class OrderLines
{
    /// <summary>
    /// The lines after one more telling, those before in their order. A refund that names no product is money back
    /// against the whole order and leaves the lines alone.
    /// </summary>
    public static IReadOnlyList<OrderLine> With(IReadOnlyList<OrderLine> lines, SaleNotice notice)
    {
        if (notice is { Kind: SaleKind.Refund, Product: "" })
            return lines;
        var after = lines.ToList();
        var known = after.FindIndex(line =>
            string.Equals(line.Product, notice.Product, StringComparison.OrdinalIgnoreCase)
        );
        if (known < 0)
        {
            known = after.Count;
            after.Add(new(notice.Product, default));
        }
        after[known] = after[known] with { Balance = after[known].Balance.With(notice.Kind, notice.Amount) };
        return after;
    }

    /// <summary>
    /// Shares what the whole order is worth by what is left of each line. Rounded sums of all lines so far keep the
    /// shares together at exactly the whole.
    /// </summary>
    /// <param name="whole">In any currency's smallest unit, 0 or more; 0 where nothing is left of any line.</param>
    /// <returns>One share a line, 0 or more.</returns>
    public static long[] Share(long whole, IReadOnlyList<OrderLine> lines)
    {
        var left = lines.Aggregate(Int128.Zero, (sum, line) => sum + line.Balance.Net);
        var shares = new long[lines.Count];
        if (left == 0)
            return shares;
        Int128 before = 0;
        var given = 0L;
        for (var i = 0; i < shares.Length; i++)
        {
            before += lines[i].Balance.Net;
            var until = (long)((2 * whole * before + left) / (2 * left));
            shares[i] = until - given;
            given = until;
        }
        return shares;
    }
}
