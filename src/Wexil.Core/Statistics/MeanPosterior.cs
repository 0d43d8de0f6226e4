using MathNet.Numerics.Distributions;

namespace Wexil.Core.Statistics;

/// <summary>
/// What takings say about what a visitor brings: normal about the mean, with the variance of the mean (large samples).
/// </summary>
public readonly struct MeanPosterior(RevenueSample revenue)
{
    private const double Far = 8;

    private readonly double _mean = revenue.Mean,
        _deviation = revenue.Visitors < 2 ? 0 : Math.Sqrt(revenue.Variance / revenue.Visitors);

    /// <summary>
    /// For each page the chance that its mean is the highest, and what keeping it is expected to lose against the best
    /// of the others. Where a page says nothing yet, all chances are alike.
    /// </summary>
    public static (double[] Chances, double[] Losses) Compare(IReadOnlyList<MeanPosterior> pages)
    {
        if (pages.Any(page => page._deviation <= 0))
            return ([.. pages.Select(_ => 1.0 / pages.Count)], new double[pages.Count]);
        return BestOfSeveral.Compare(
            pages.Count,
            pages.SelectMany(page =>
                new[] { page._mean - Far * page._deviation, page._mean, page._mean + Far * page._deviation }
            ),
            (page, mean) => pages[page].At(mean)
        );
    }

    private (double Cumulative, double Density) At(double mean) =>
        (Normal.CDF(_mean, _deviation, mean), Normal.PDF(_mean, _deviation, mean));
}
