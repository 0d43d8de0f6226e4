namespace Wexil.Core.Statistics;

/// <summary>
/// Did the split arrive as set? Pearson's chi-square of the enrolments against the weights, summed over phases. A split
/// that did not arrive as set means that visitors were lost on one page, and no comparison can be trusted.
/// </summary>
public static class SampleRatioMismatch
{
    /// <summary>Below this p-value the split is called broken.</summary>
    public const double AlarmP = 0.001;

    /// <param name="phases">For each phase the visitors and the weight of every page; pages that rest (weight 0) are
    /// left out.</param>
    public static (double ChiSquare, int DegreesOfFreedom, double P) Compute(
        IEnumerable<IReadOnlyList<(long Visitors, double Weight)>> phases
    )
    {
        double chiSquare = 0;
        var degrees = 0;
        foreach (var phase in phases)
        {
            var drawn = phase.Where(page => page.Weight > 0).ToArray();
            double visitors = drawn.Sum(page => page.Visitors),
                weights = drawn.Sum(page => page.Weight);
            if (visitors == 0 || drawn.Length < 2)
                continue;
            foreach (var page in drawn)
            {
                var expected = visitors * page.Weight / weights;
                chiSquare += (page.Visitors - expected) * (page.Visitors - expected) / expected;
            }
            degrees += drawn.Length - 1;
        }
        return degrees == 0 ? (0, 0, 1) : (chiSquare, degrees, Confidence.ChiSquareP(chiSquare, degrees));
    }
}
