using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>
/// What a page that was kept has brought more than the page it replaced: the difference of the test times the visitors
/// who were shown it since. A page is kept because it was ahead, so the plain difference is rather too high: where the
/// test had a plan, the one to be expected is taken. The interval holds what is known.
/// </summary>
/// <param name="Amount">In conversions, or in the currency's smallest unit.</param>
public readonly record struct RealisedUplift(double Amount, Interval Range)
{
    /// <param name="difference">Kept minus replaced, per visitor; as it is to be expected, where that is known.</param>
    /// <param name="range">Interval of the difference, as the test's rule gives it.</param>
    /// <param name="visitors">Who were shown the kept page since, 0 or more.</param>
    public static RealisedUplift From(double difference, Interval range, long visitors) =>
        new(difference * visitors, new(range.Low * visitors, range.High * visitors));

    /// <summary>
    /// Gains of tests that share no visitor: the amounts add up, and the distances to the intervals' ends by their
    /// squares.
    /// </summary>
    public static RealisedUplift operator +(RealisedUplift a, RealisedUplift b)
    {
        var (amount, below, above) = (
            a.Amount + b.Amount,
            Apart(a.Amount - a.Range.Low, b.Amount - b.Range.Low),
            Apart(a.Range.High - a.Amount, b.Range.High - b.Amount)
        );
        return new(amount, new(amount - below, amount + above));
    }

    private static double Apart(double one, double other) => Math.Sqrt(one * one + other * other);
}
