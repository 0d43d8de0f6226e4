using Wexil.Core.Common;
using Wexil.Core.SplitTests;

namespace Wexil.Core.Assignments;

/// <summary>
/// Weights that follow the evidence: each page gets as much as its chance of being the best, and a floor besides.
/// </summary>
public static class AdaptiveWeights
{
    /// <summary>Who changes the weights, in a test's log.</summary>
    public const string Who = "the evidence";

    /// <summary>Begins the reason of a phase whose weights lean.</summary>
    public const string Reason = "Leans to the leader:";

    /// <param name="chances">By page, from 0 to 1.</param>
    /// <param name="floor">In percent; less where the pages would need more than there is.</param>
    /// <param name="now">Pages of weight 0 rest and go on resting.</param>
    public static Weights Compute(IReadOnlyList<double> chances, int floor, Weights now)
    {
        var taking = Enumerable.Range(0, now.Count).Where(page => now[page] > 0).ToArray();
        var least = Math.Min(floor, Weights.Total / taking.Length);
        var chance = taking.Sum(page => chances[page]);
        var spare = Weights.Total - least * taking.Length;
        var exact = Enumerable
            .Range(0, now.Count)
            .Select(page =>
                now[page] == 0 ? 0
                : chance > 0 ? least + spare * chances[page] / chance
                : least + (double)spare / taking.Length
            );
        return Weights.Create(LargestRemainder.Round([.. exact], Weights.Total));
    }
}
