namespace Wexil.Core.Evidence;

/// <summary>
/// What the counts say about a page's true rate: the Beta(1 + x, 1 + n − x) density on a grid that covers all of it that matters.
/// The same counts always give the same numbers: nothing is sampled.
/// </summary>
public sealed class RateDensity
{
    private const int Points = 4001;
    private const double NegligibleLogDensity = -40;
    private readonly double[] _cumulative = new double[Points];

    public RateDensity(Arm arm)
    {
        double x = arm.Conversions, misses = arm.Visitors - arm.Conversions;
        var mode = arm.Visitors == 0 ? 0.5 : x / arm.Visitors;
        double LogShape(double rate) => Term(x, rate) + Term(misses, 1 - rate) - Term(x, mode) - Term(misses, 1 - mode);
        Low = x == 0 ? 0 : Edge(LogShape, mode, 0);
        High = misses == 0 ? 1 : Edge(LogShape, mode, 1);

        Step = (High - Low) / (Points - 1);
        Density = new double[Points];
        for (var i = 0; i < Points; i++)
        {
            Density[i] = Math.Exp(LogShape(Low + i * Step));
            if (i > 0) _cumulative[i] = _cumulative[i - 1] + (Density[i - 1] + Density[i]) / 2 * Step;
        }
        var total = _cumulative[^1];
        for (var i = 0; i < Points; i++)
        {
            Density[i] /= total;
            _cumulative[i] /= total;
        }
    }

    /// <summary>The lowest and highest rates on the grid.</summary>
    public double Low { get; }
    public double High { get; }

    /// <summary>Distance between two points of the grid.</summary>
    public double Step { get; }

    /// <summary>Density at <see cref="Low"/>, Low + Step, … <see cref="High"/>.</summary>
    public double[] Density { get; }

    /// <summary>Chance that the true rate is at most <paramref name="rate"/>.</summary>
    public double CumulativeAt(double rate)
    {
        if (rate <= Low) return 0;
        if (rate >= High) return 1;
        var place = (rate - Low) / Step;
        var i = Math.Min((int)place, Points - 2);
        return _cumulative[i] + (place - i) * (_cumulative[i + 1] - _cumulative[i]);
    }

    /// <summary>For each page the chance that its true rate is the highest; they add up to 1.</summary>
    public static double[] ChancesBest(IReadOnlyList<RateDensity> pages)
    {
        var chances = new double[pages.Count];
        for (var best = 0; best < pages.Count; best++)
        {
            var page = pages[best];
            for (var i = 0; i < Points; i++)
            {
                var rate = page.Low + i * page.Step;
                var share = page.Density[i] * page.Step * (i is 0 or Points - 1 ? 0.5 : 1);
                for (var other = 0; other < pages.Count && share > 0; other++)
                    if (other != best) share *= pages[other].CumulativeAt(rate);
                chances[best] += share;
            }
        }
        return chances;
    }

    private static double Term(double count, double rate) => count == 0 ? 0 : count * Math.Log(rate);

    private static double Edge(Func<double, double> logShape, double mode, double limit)
    {
        double inside = mode, outside = limit;
        for (var i = 0; i < 60; i++)
        {
            var middle = (inside + outside) / 2;
            if (logShape(middle) > NegligibleLogDensity) inside = middle;
            else outside = middle;
        }
        return inside;
    }
}
