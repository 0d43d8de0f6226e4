namespace Wexil.Core.Statistics;

/// <summary>The control and one challenger as they stood within one phase.</summary>
public readonly record struct PhasePair(Arm A, Arm B);

/// <summary>
/// Combines phases without pooling them: when weights change while the base rate moves, pooled rates lie (Simpson), but
/// the differences within phases do not. Phases in which either page had nobody say nothing and are left out.
/// </summary>
public static class Phases
{
    /// <summary>
    /// The Mantel–Haenszel difference of rates, b − a, and Sato's variance of it, which stays right for many small
    /// phases. Source: T. Sato, "On the variance estimator for the Mantel–Haenszel risk difference", Biometrics 45
    /// (1989). Null when no phase has visitors on both pages.
    /// </summary>
    public static Estimate? Difference(IEnumerable<PhasePair> phases)
    {
        double weights = 0,
            weighted = 0,
            p = 0,
            q = 0;
        foreach (var (a, b) in Informative(phases))
        {
            double na = a.Visitors,
                nb = b.Visitors,
                n = na + nb,
                xa = a.Conversions,
                xb = b.Conversions;
            var weight = na * nb / n;
            weights += weight;
            weighted += weight * (b.Rate - a.Rate);
            p += (nb * nb * xa - na * na * xb + na * nb * (na - nb) / 2) / (n * n);
            q += (xb * (na - xa) + xa * (nb - xb)) / (2 * n);
        }
        if (weights == 0)
            return null;
        var difference = weighted / weights;
        return new(difference, Math.Max(0, difference * p + q) / (weights * weights), weights);
    }

    /// <summary>
    /// The same difference of earned per visitor, b − a, with the weights of Mantel and Haenszel. A page's variance is
    /// that within its phases, pooled over them. Null when no phase has two visitors on both pages.
    /// </summary>
    public static Estimate? DifferenceOfMeans(IEnumerable<(RevenueSample A, RevenueSample B)> phases)
    {
        var known = phases.Where(phase => phase.A.Visitors > 1 && phase.B.Visitors > 1).ToArray();
        if (known.Length == 0)
            return null;
        double Pooled(Func<(RevenueSample A, RevenueSample B), RevenueSample> page) =>
            known.Sum(phase => page(phase).Variance * (page(phase).Visitors - 1))
            / known.Sum(phase => page(phase).Visitors - 1.0);
        var (varianceA, varianceB) = (Pooled(phase => phase.A), Pooled(phase => phase.B));
        double weights = 0,
            weighted = 0,
            variance = 0;
        foreach (var (a, b) in known)
        {
            double na = a.Visitors,
                nb = b.Visitors,
                weight = na * nb / (na + nb);
            weights += weight;
            weighted += weight * (b.Mean - a.Mean);
            variance += weight * weight * (varianceA / na + varianceB / nb);
        }
        return new(weighted / weights, variance / (weights * weights), weights);
    }

    /// <summary>
    /// The Cochran–Mantel–Haenszel test without continuity correction: chi-square (one degree of freedom) and its
    /// p-value. Source: N. Mantel and W. Haenszel, JNCI 22 (1959).
    /// </summary>
    public static (double ChiSquare, double P) Test(IEnumerable<PhasePair> phases)
    {
        double excess = 0,
            variance = 0;
        foreach (var (a, b) in Informative(phases))
        {
            double na = a.Visitors,
                nb = b.Visitors,
                n = na + nb,
                met = a.Conversions + b.Conversions;
            excess += a.Conversions - na * met / n;
            if (n > 1)
                variance += na * nb * met * (n - met) / (n * n * (n - 1));
        }
        if (variance == 0)
            return (0, 1);
        var chiSquare = excess * excess / variance;
        return (chiSquare, Confidence.ChiSquareP(chiSquare, 1));
    }

    /// <summary>The common odds ratio of b against a by Mantel and Haenszel; null where no phase settles it.</summary>
    public static double? OddsRatio(IEnumerable<PhasePair> phases)
    {
        double above = 0,
            below = 0;
        foreach (var (a, b) in Informative(phases))
        {
            double n = a.Visitors + b.Visitors;
            above += b.Conversions * (double)(a.Visitors - a.Conversions) / n;
            below += a.Conversions * (double)(b.Visitors - b.Conversions) / n;
        }
        return below > 0 ? above / below : null;
    }

    private static IEnumerable<PhasePair> Informative(IEnumerable<PhasePair> phases) =>
        phases.Where(phase => phase.A.Visitors > 0 && phase.B.Visitors > 0);
}

/// <summary>A difference of per-visitor means and the estimated variance of that difference.</summary>
/// <param name="Weight">The sum of the weights that it is combined by, nA·nB/(nA + nB) of each phase; half the visitors
/// of a page where both have as many.</param>
public readonly record struct Estimate(double Difference, double Variance, double Weight)
{
    /// <summary>The weighted sum of the phases' differences, and its variance.</summary>
    public (double Difference, double Variance) Sum => (Difference * Weight, Variance * Weight * Weight);
}
