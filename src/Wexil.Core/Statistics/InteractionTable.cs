using MathNet.Numerics.Distributions;

namespace Wexil.Core.Statistics;

/// <summary>
/// A pair of pages of two tests: what its visitors did, and what the two pages suggest by themselves.
/// </summary>
/// <param name="Expected">Rate by the parts alone; null where they do not settle it.</param>
/// <param name="Surprise">Standardised distance of the pair from its parts; positive is better.</param>
public sealed record PairResult(int First, int Second, Arm Arm, double? Expected, double Surprise);

/// <summary>
/// Crosses the pages of two tests, and says whether a pair does better or worse than its parts suggest.
/// </summary>
/// <remarks>Residuals from a logistic model with main effects, adjusted for the fit (A. Agresti, "Categorical Data
/// Analysis", 3rd ed. 2013, 4.5.5), Bonferroni over the pairs.</remarks>
public sealed record InteractionTable(IReadOnlyList<PairResult> Pairs, PairResult? Standout)
{
    /// <summary>
    /// No pair stands out at a chance of luck above this, over all pairs together: it is looked at all the time.
    /// </summary>
    private const double Alarm = 0.001;

    /// <param name="cells">For each page of the first test, for each of the second.</param>
    public static InteractionTable From(IReadOnlyList<IReadOnlyList<Arm>> cells)
    {
        var flat = cells
            .SelectMany(
                (row, first) => row.Select((arm, second) => (Versions: (IReadOnlyList<int>)[first, second], Arm: arm))
            )
            .Where(cell => cell.Arm.Visitors > 0)
            .ToArray();
        var fit =
            cells.Count >= 2 && cells[0].Count >= 2 && flat.Length == cells.Count * cells[0].Count
                ? LogisticRegression.Fit([cells.Count, cells[0].Count], flat)
                : null;
        PairResult[] pairs = [.. flat.Select((cell, i) => Pair(cell.Versions, cell.Arm, fit, i))];
        // Of two by two pages, two pairs are about as far from their parts; the one that converts better is meant.
        var furthest = pairs.Length == 0 ? 0 : pairs.Max(pair => pair.Surprise);
        var standout = pairs.Where(pair => pair.Surprise >= 0.95 * furthest).MaxBy(pair => pair.Arm.Rate);
        return new(
            pairs,
            fit is not null
            && standout is { Arm.Conversions: >= AlwaysValidTest.MinConversions }
            && Normal.CDF(0, 1, -standout.Surprise) * 2 * pairs.Length < Alarm
                ? standout
                : null
        );
    }

    private static PairResult Pair(IReadOnlyList<int> versions, Arm arm, LogisticRegression? fit, int i)
    {
        if (fit is null)
            return new(versions[0], versions[1], arm, null, 0);
        var rate = fit.Expected[i];
        var spread = Math.Sqrt(arm.Visitors * rate * (1 - rate) * Math.Max(0, 1 - fit.Leverage[i]));
        var surprise = spread > 0 ? (arm.Conversions - arm.Visitors * rate) / spread : 0;
        return new(versions[0], versions[1], arm, rate, surprise);
    }
}
