using MathNet.Numerics.RootFinding;

namespace Wexil.Core.Statistics;

/// <summary>
/// What the counts say about a page's true rate: the Beta(1 + x, 1 + n − x) density on a grid that covers all of it
/// that matters. The same counts always give the same numbers: nothing is sampled.
/// </summary>
public sealed class RatePosterior
{
    private const int Points = 1001;
    private const double NegligibleLogDensity = -40;
    private readonly double[] _cumulative = new double[Points];
    private readonly double _conversions,
        _misses,
        _highest,
        _area;

    /// <summary>What visitors of one phase, or plain sums, tell about a rate.</summary>
    public RatePosterior(Arm arm)
        : this(StandardRate.From(arm)) { }

    /// <summary>What visitors of several phases tell about a rate.</summary>
    public RatePosterior(StandardRate known)
    {
        var (x, misses) = (_conversions, _misses) = (known.Conversions, known.Visitors - known.Conversions);
        var mode = known.Visitors == 0 ? 0.5 : known.Rate;
        var highest = _highest = Term(x, mode) + Term(misses, 1 - mode);
        Low = x == 0 ? 0 : Edge(LogShape, mode, 0);
        High = misses == 0 ? 1 : Edge(LogShape, mode, 1);

        Step = (High - Low) / (Points - 1);
        Density = new double[Points];
        var slopeBefore = 0.0;
        for (var i = 0; i < Points; i++)
        {
            var rate = Low + i * Step;
            Density[i] = Math.Exp(LogShape(rate));
            // Where the density ends at 0 with one conversion or one miss, it does not end level.
            var slope =
                Density[i] > 0 ? Density[i] * ((x == 0 ? 0 : x / rate) - (misses == 0 ? 0 : misses / (1 - rate)))
                : rate == 1 && misses == 1 ? -Math.Exp(-highest)
                : rate == 0 && x == 1 ? Math.Exp(-highest)
                : 0;
            // The trapezoid with the correction of Euler and Maclaurin at both ends.
            if (i > 0)
                _cumulative[i] =
                    _cumulative[i - 1]
                    + (Density[i - 1] + Density[i]) / 2 * Step
                    + (slopeBefore - slope) * Step * Step / 12;
            slopeBefore = slope;
        }
        _area = _cumulative[^1];
        for (var i = 0; i < Points; i++)
        {
            Density[i] /= _area;
            _cumulative[i] /= _area;
        }
    }

    /// <summary>The lowest rate on the grid.</summary>
    public double Low { get; }

    /// <summary>The highest rate on the grid.</summary>
    public double High { get; }

    /// <summary>Distance between two points of the grid.</summary>
    public double Step { get; }

    /// <summary>Density at <see cref="Low"/>, Low + Step, … <see cref="High"/>.</summary>
    public double[] Density { get; }

    /// <summary>Chance that the true rate is at most <paramref name="rate"/>.</summary>
    public double CumulativeAt(double rate) => At(rate).Cumulative;

    /// <summary>Density at <paramref name="rate"/>; 0 beyond the grid.</summary>
    public double DensityAt(double rate) => At(rate).Density;

    /// <summary>
    /// For each page the chance that its true rate is the highest, and what keeping it is expected to lose against the
    /// best of the others, in rate. The chances add up to 1.
    /// </summary>
    public static (double[] Chances, double[] Losses) Compare(IReadOnlyList<RatePosterior> pages) =>
        BestOfSeveral.Compare(
            pages.Count,
            pages.SelectMany(page => new[] { page.Low, (page.Low + page.High) / 2, page.High }),
            (page, rate) => pages[page].At(rate)
        );

    private (double Cumulative, double Density) At(double rate)
    {
        if (rate < Low)
            return (0, 0);
        if (rate > High)
            return (1, 0);
        var place = (rate - Low) / Step;
        var i = Math.Min((int)place, Points - 2);
        // Hermite's cubic: the density is the slope. The cubic's own slope would be far less exact than its height.
        var t = place - i;
        var (from, rise, fall) = (_cumulative[i], Density[i] * Step, Density[i + 1] * Step);
        var gain = _cumulative[i + 1] - from;
        var (square, cube) = (3 * gain - 2 * rise - fall, rise + fall - 2 * gain);
        return (from + t * (rise + t * (square + t * cube)), Math.Exp(LogShape(rate)) / _area);
    }

    private double LogShape(double rate) => Term(_conversions, rate) + Term(_misses, 1 - rate) - _highest;

    private static double Term(double count, double rate) => count == 0 ? 0 : count * Math.Log(rate);

    private static double Edge(Func<double, double> logShape, double mode, double limit)
    {
        // Where a count is large, the density is 0 long before the limit, and its logarithm infinite.
        double Above(double rate) => Math.Max(logShape(rate), 2 * NegligibleLogDensity) - NegligibleLogDensity;
        var accuracy = Math.Abs(mode - limit) * 1e-12;
        return Brent.FindRoot(Above, Math.Min(mode, limit), Math.Max(mode, limit), accuracy);
    }
}
