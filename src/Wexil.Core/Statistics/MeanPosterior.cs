using MathNet.Numerics.Distributions;

namespace Wexil.Core.Statistics;

/// <summary>
/// What takings say about what a visitor brings: normal about the mean, with the variance of the mean (large samples).
/// </summary>
public readonly struct MeanPosterior(RevenueSample revenue)
{
    private const int Pieces = 120;
    private const double Far = 8;

    private readonly double _mean = revenue.Mean,
        _deviation = revenue.Visitors < 2 ? 0 : Math.Sqrt(revenue.Variance / revenue.Visitors);

    /// <summary>
    /// For each page the chance that its mean is the highest, and what keeping it is expected to lose against the best
    /// of the others. Where a page says nothing yet, all chances are alike.
    /// </summary>
    public static (double[] Chances, double[] Losses) Compare(IReadOnlyList<MeanPosterior> pages)
    {
        var (chances, losses) = (new double[pages.Count], new double[pages.Count]);
        if (pages.Any(page => page._deviation <= 0))
        {
            Array.Fill(chances, 1.0 / pages.Count);
            return (chances, losses);
        }
        var places = pages
            .SelectMany(page =>
                new[] { page._mean - Far * page._deviation, page._mean, page._mean + Far * page._deviation }
            )
            .Distinct()
            .Order()
            .ToArray();
        var (below, behind) = (new double[pages.Count], new double[pages.Count + 1]);
        for (var piece = 0; piece + 1 < places.Length; piece++)
        {
            var step = (places[piece + 1] - places[piece]) / Pieces;
            for (var i = 0; i <= Pieces; i++)
            {
                // Simpson's rule.
                var (place, weight) = (
                    places[piece] + i * step,
                    step
                        / 3
                        * (
                            i is 0 or Pieces ? 1
                            : i % 2 == 1 ? 4
                            : 2
                        )
                );
                for (var page = 0; page < pages.Count; page++)
                    below[page] = Normal.CDF(pages[page]._mean, pages[page]._deviation, place);
                behind[pages.Count] = 1;
                for (var page = pages.Count - 1; page >= 0; page--)
                    behind[page] = behind[page + 1] * below[page];
                var before = 1.0;
                for (var page = 0; page < pages.Count; page++)
                {
                    // The chance that all the others lie below.
                    var others = before * behind[page + 1];
                    chances[page] += weight * Normal.PDF(pages[page]._mean, pages[page]._deviation, place) * others;
                    losses[page] += weight * below[page] * (1 - others);
                    before *= below[page];
                }
            }
        }
        return (chances, losses);
    }
}
