namespace Wexil.Core.Common;

/// <summary>Rounds parts to whole numbers that keep their sum: the method of the largest remainder (Hare and
/// Hamilton).</summary>
public static class LargestRemainder
{
    /// <param name="exact">Parts of 0 or more that add up to <paramref name="total"/>.</param>
    /// <returns>Each part rounded down, and one more for those that lose most by it, the first among equals.</returns>
    public static int[] Round(IReadOnlyList<double> exact, int total)
    {
        int[] whole = [.. exact.Select(part => (int)part)];
        var leftOver = total - whole.Sum();
        var byLoss = Enumerable.Range(0, whole.Length).OrderByDescending(i => exact[i] - whole[i]);
        foreach (var i in byLoss.Take(leftOver).ToArray())
            whole[i]++;
        return whole;
    }
}
