using MathNet.Numerics.Distributions;

namespace Wexil.Core.Statistics;

/// <summary>What the visitors of a page brought, those who bought nothing included.</summary>
/// <param name="Sum">All values, refunds taken off; in the currency's smallest unit.</param>
/// <param name="Squares">The sum of each visitor's value squared.</param>
public readonly record struct RevenueSample(long Visitors, double Sum, double Squares)
{
    /// <summary>What a visitor brought, in the smallest unit; 0 while nobody came.</summary>
    public double Mean => Visitors == 0 ? 0 : Sum / Visitors;

    /// <summary>The sample variance of a visitor's value; 0 for fewer than two visitors.</summary>
    public double Variance => Visitors < 2 ? 0 : Math.Max(0, (Squares - Sum * Sum / Visitors) / (Visitors - 1));

    /// <summary>
    /// How many buyers of the same size would have brought as much with as much spread: fewer than there were, where
    /// few large orders decide.
    /// </summary>
    public double EffectiveBuyers => Squares > 0 ? Sum * Sum / Squares : 0;

    /// <summary>The visitors of both, with what they brought.</summary>
    public static RevenueSample operator +(RevenueSample a, RevenueSample b) =>
        new(a.Visitors + b.Visitors, a.Sum + b.Sum, a.Squares + b.Squares);

    /// <summary>The first without the second, all of whose visitors have to be among the first.</summary>
    public static RevenueSample operator -(RevenueSample a, RevenueSample b) =>
        new(a.Visitors - b.Visitors, a.Sum - b.Sum, Math.Max(0, a.Squares - b.Squares));

    /// <summary>
    /// Earned per visitor of two pages compared once: Welch's t test, two-sided, and the 95% interval of the difference
    /// b − a. Source: B. L. Welch, "The generalization of 'Student's' problem when several different population
    /// variances are involved", Biometrika 34 (1947). Null where either had fewer than two visitors, or neither varied.
    /// </summary>
    public static MeanComparison? Compare(RevenueSample a, RevenueSample b)
    {
        if (a.Visitors < 2 || b.Visitors < 2)
            return null;
        double va = a.Variance / a.Visitors,
            vb = b.Variance / b.Visitors,
            error = Math.Sqrt(va + vb);
        if (error == 0)
            return null;
        var freedom = (va + vb) * (va + vb) / (va * va / (a.Visitors - 1) + vb * vb / (b.Visitors - 1));
        var difference = b.Mean - a.Mean;
        var t = difference / error;
        var half = -StudentT.InvCDF(0, 1, freedom, 0.025) * error;
        return new(
            difference,
            t,
            freedom,
            2 * StudentT.CDF(0, 1, freedom, -Math.Abs(t)),
            new(difference - half, difference + half)
        );
    }
}

/// <summary>Two means compared once.</summary>
public sealed record MeanComparison(double Difference, double T, double Freedom, double P, Interval Interval);
