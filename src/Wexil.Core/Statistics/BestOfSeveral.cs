using MathNet.Numerics.Integration;

namespace Wexil.Core.Statistics;

/// <summary>Compares several unknown values, each known by its density.</summary>
internal static class BestOfSeveral
{
    // Exact for polynomials of degree 127 between two places. The rule copies its arrays whenever it is asked for them.
    private static readonly GaussLegendreRule Rule = new(0, 1, order: 64);
    private static readonly double[] Abscissas = Rule.Abscissas,
        Weights = Rule.Weights;

    /// <summary>
    /// For each value the chance that it is the highest, which is the integral of f(x)·ΠF other(x), and what taking it
    /// is expected to lose against the best of the others: E(max(best other − this, 0)), which is the integral of
    /// F(x)·(1 − ΠF other(x)). The chances add up to 1.
    /// </summary>
    /// <param name="places">Between two of them every density is smooth; outside them all are 0.</param>
    /// <param name="at">By value and place.</param>
    /// <param name="count">How many values there are.</param>
    public static (double[] Chances, double[] Losses) Compare(
        int count,
        IEnumerable<double> places,
        Func<int, double, (double Cumulative, double Density)> at
    )
    {
        var (chances, losses) = (new double[count], new double[count]);
        var values = new (double Cumulative, double Density)[count];
        // The chance that all the values behind one lie below the place.
        var behind = new double[count + 1];
        double[] ordered = [.. places.Distinct().Order()];
        foreach (var (from, until) in ordered.Zip(ordered.Skip(1)))
            for (var i = 0; i < Abscissas.Length; i++)
                Add(from + Abscissas[i] * (until - from), Weights[i] * (until - from));
        return (chances, losses);

        void Add(double place, double weight)
        {
            for (var value = 0; value < count; value++)
                values[value] = at(value, place);
            behind[count] = 1;
            for (var value = count - 1; value >= 0; value--)
                behind[value] = behind[value + 1] * values[value].Cumulative;
            var before = 1.0;
            for (var value = 0; value < count; value++)
            {
                var others = before * behind[value + 1];
                chances[value] += weight * values[value].Density * others;
                losses[value] += weight * values[value].Cumulative * (1 - others);
                before *= values[value].Cumulative;
            }
        }
    }
}
