namespace Wexil.Core.Results;

/// <summary>The buyers of a page who brought most.</summary>
/// <param name="Buyers">How many bought in all.</param>
/// <param name="Largest">What the three largest brought, the largest first, in the currency's smallest unit; fewer
/// where fewer bought.</param>
public readonly record struct LargeBuyers(long Buyers, IReadOnlyList<long> Largest)
{
    /// <summary>How many are looked at.</summary>
    public const int Count = 3;

    /// <summary>
    /// The shares of a page's revenue above which one buyer, and three buyers together, decide what a visitor of it
    /// brings.
    /// </summary>
    private const double One = 0.2,
        Three = 0.5;

    /// <summary>The few who decide what a page brought, and their share; null where nobody does.</summary>
    /// <param name="revenue">Of the page, refunds taken off.</param>
    /// <param name="enough">Below so many buyers there are only few, and none of them is large.</param>
    public (int Buyers, double Share)? Deciding(double revenue, int enough)
    {
        if (Buyers < enough || revenue <= 0 || Largest is not [var largest, ..])
            return null;
        var (one, three) = (largest / revenue, Largest.Sum() / revenue);
        return one > One ? (1, one)
            : three > Three ? (Largest.Count, three)
            : null;
    }
}
