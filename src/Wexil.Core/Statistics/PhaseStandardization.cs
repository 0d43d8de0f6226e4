namespace Wexil.Core.Statistics;

/// <summary>A page's rate once all phases count alike for every page.</summary>
/// <param name="Visitors">How many visitors of a test with one phase would have said as much; 0 where nobody
/// came.</param>
/// <param name="Conversions">How many of them would have converted.</param>
public readonly record struct StandardRate(double Visitors, double Conversions)
{
    /// <summary>0 to 1; 0 where nobody came.</summary>
    public double Rate => Visitors == 0 ? 0 : Conversions / Visitors;

    /// <summary>The rate of one phase, or of the plain sums.</summary>
    public static StandardRate From(Arm arm) => new(arm.Visitors, arm.Conversions);
}

/// <summary>
/// The level of each page when weights changed within a test. Sums over the phases would compare a page that got its
/// visitors in a good week with one that got them in a bad one (Simpson). The control's value is that of its phases
/// weighed by the visitors of all pages in them (direct standardization); a challenger's is that plus the combined
/// difference the verdict rests on, so that no figure can contradict the verdict. With one phase both are the plain
/// values. Source: K. J. Rothman, S. Greenland and T. L. Lash, Modern Epidemiology (2008), chapter 15; the difference
/// is Mantel and Haenszel's.
/// </summary>
public static class PhaseStandardization
{
    /// <summary>The rates of the pages.</summary>
    /// <param name="phases">By phase and page.</param>
    /// <param name="differences">Challenger minus control; null for the control, and where the two cannot be
    /// compared.</param>
    public static IReadOnlyList<StandardRate> Rates(
        IReadOnlyList<IReadOnlyList<Arm>> phases,
        int control,
        IReadOnlyList<Estimate?> differences
    )
    {
        var totals = differences
            .Select((_, page) => phases.Aggregate(new Arm(), (sum, phase) => sum + phase[page]))
            .ToArray();
        if (phases.Count(phase => phase.Any(arm => arm.Visitors > 0)) <= 1)
            return [.. totals.Select(StandardRate.From)];
        var level = Level(
            phases.Select(phase => (phase[control].Visitors, phase[control].Rate, phase.Sum(arm => arm.Visitors)))
        );
        if (level is not { } rate)
            return [.. totals.Select(StandardRate.From)];
        var own = Spread(rate) / totals[control].Visitors;
        return
        [
            .. differences.Select(
                (difference, page) =>
                {
                    if (page == control)
                        return new(totals[page].Visitors, rate * totals[page].Visitors);
                    if (difference is not { } estimate)
                        return StandardRate.From(totals[page]);
                    var standard = Math.Clamp(rate + estimate.Difference, 0, 1);
                    var spread = Spread(standard);
                    // What the difference leaves open beyond the control's share of it is the challenger's; it never
                    // knows more than its visitors tell.
                    var variance = Math.Max(estimate.Variance - own, spread / totals[page].Visitors);
                    var visitors = spread > 0 && variance > 0 ? spread / variance : totals[page].Visitors;
                    return new StandardRate(visitors, standard * visitors);
                }
            ),
        ];
    }

    /// <summary>What a visitor of each page brings: takings of one phase that would have said the same.</summary>
    /// <inheritdoc cref="Rates"/>
    public static IReadOnlyList<RevenueSample> Means(
        IReadOnlyList<IReadOnlyList<RevenueSample>> phases,
        int control,
        IReadOnlyList<Estimate?> differences
    )
    {
        var totals = differences
            .Select((_, page) => phases.Aggregate(new RevenueSample(), (sum, phase) => sum + phase[page]))
            .ToArray();
        if (phases.Count(phase => phase.Any(page => page.Visitors > 0)) <= 1)
            return totals;
        var level = Level(
            phases.Select(phase => (phase[control].Visitors, phase[control].Mean, phase.Sum(page => page.Visitors)))
        );
        if (level is not { } mean)
            return totals;
        var own = totals[control].Variance / totals[control].Visitors;
        return
        [
            .. differences.Select(
                (difference, page) =>
                {
                    var total = totals[page];
                    if (page == control)
                        return With(total, mean, own);
                    if (difference is not { } estimate)
                        return total;
                    return With(
                        total,
                        mean + estimate.Difference,
                        Math.Max(estimate.Variance - own, total.Variance / total.Visitors)
                    );
                }
            ),
        ];
    }

    /// <summary>
    /// The control's value over the phases in which it had visitors, weighed by the visitors of all pages; null where
    /// it had none.
    /// </summary>
    private static double? Level(IEnumerable<(long Visitors, double Value, long All)> phases)
    {
        double weights = 0,
            weighted = 0;
        foreach (var (visitors, value, all) in phases)
        {
            if (visitors == 0)
                continue;
            weights += all;
            weighted += all * value;
        }
        return weights > 0 ? weighted / weights : null;
    }

    private static double Spread(double rate) => rate * (1 - rate);

    private static RevenueSample With(RevenueSample total, double mean, double varianceOfMean)
    {
        var sum = mean * total.Visitors;
        return new(total.Visitors, sum, varianceOfMean * total.Visitors * (total.Visitors - 1) + sum * mean);
    }
}
