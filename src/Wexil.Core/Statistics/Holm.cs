namespace Wexil.Core.Statistics;

/// <summary>
/// Keeps the chance of any false call at α over several comparisons with the control. Source: S. Holm, "A simple
/// sequentially rejective multiple test procedure", Scandinavian Journal of Statistics 6 (1979).
/// </summary>
public static class Holm
{
    /// <summary>The adjusted p-values in the order given, each to be held against α itself.</summary>
    public static double[] Adjust(IReadOnlyList<double> pValues)
    {
        var adjusted = new double[pValues.Count];
        var running = 0.0;
        var rank = 0;
        foreach (var index in Enumerable.Range(0, pValues.Count).OrderBy(i => pValues[i]))
        {
            running = Math.Max(running, Math.Min(1, pValues[index] * (pValues.Count - rank++)));
            adjusted[index] = running;
        }
        return adjusted;
    }
}
