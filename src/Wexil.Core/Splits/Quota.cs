namespace Wexil.Core.Splits;

/// <summary>
/// Whose turn it is when pages take turns exactly to weight: after any number of turns each page has had its share to within one.
/// Turning in a circle smoothly strays further from six pages on.
/// </summary>
/// <remarks>R. Tijdeman, "The chairman assignment problem", Discrete Mathematics 32 (1980) 323–330.</remarks>
public static class Quota
{
    /// <summary>The page whose turn is next.</summary>
    /// <param name="had">The turns that each page has had, in the order of the weights. Turns lost on the way right themselves.</param>
    public static int Next(Weights weights, ReadOnlySpan<long> had)
    {
        var pages = 0;
        long turn = 1;
        for (var i = 0; i < weights.Count; i++)
        {
            if (weights[i] > 0) pages++;
            turn += had[i];
        }
        // In whole numbers: everything is multiplied by 100 · 2(n − 1).
        long scale = Math.Max(1, 2 * (pages - 1));
        var (best, bestDeadline) = (-1, double.MaxValue);
        var (furthest, behind) = (-1, long.MinValue);
        for (var i = 0; i < weights.Count; i++)
        {
            if (weights[i] == 0) continue;
            // How far the page would lag behind its share after this turn, were it another's.
            var lag = (turn * weights[i] - had[i] * Weights.Total) * scale;
            if (lag > behind) (furthest, behind) = (i, lag);
            if (lag < Weights.Total) continue;
            // The last turn that it can wait for without lagging by a whole one.
            var deadline = (double)(had[i] * scale + scale - 1) / weights[i];
            if (deadline < bestDeadline) (best, bestDeadline) = (i, deadline);
        }
        return best >= 0 ? best : furthest;
    }

    /// <summary>The next so many turns in order.</summary>
    public static IReadOnlyList<int> Upcoming(Weights weights, ReadOnlySpan<long> had, int turns)
    {
        var counts = had.ToArray();
        var order = new int[turns];
        for (var i = 0; i < turns; i++)
        {
            order[i] = Next(weights, counts);
            counts[order[i]]++;
        }
        return order;
    }
}
