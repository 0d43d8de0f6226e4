namespace Wexil.Core.Statistics;

/// <summary>
/// Two rates compared once, by the textbook: valid for a single look at a size fixed beforehand. Wexil shows it a click
/// deeper and decides by <see cref="AlwaysValidTest"/>.
/// </summary>
public static class TwoRates
{
    /// <summary>
    /// Two-sided p-value of the pooled z test without continuity correction; 1 when both rates are 0 or both are 1.
    /// </summary>
    public static double PooledP(Arm a, Arm b)
    {
        double na = a.Visitors,
            nb = b.Visitors,
            pooled = (a.Conversions + b.Conversions) / (na + nb);
        var error = Math.Sqrt(pooled * (1 - pooled) * (1 / na + 1 / nb));
        return error == 0 ? 1 : Confidence.TwoSidedP((b.Rate - a.Rate) / error);
    }

    /// <summary>
    /// 95% interval for the difference of the rates, b − a. Source: R. G. Newcombe, "Interval estimation for the
    /// difference between independent proportions", Statistics in Medicine 17 (1998), method 10.
    /// </summary>
    public static Interval Difference(Arm a, Arm b)
    {
        var (wa, wb, d) = (WilsonInterval.Compute(a), WilsonInterval.Compute(b), b.Rate - a.Rate);
        return new(
            d - Math.Sqrt(Square(b.Rate - wb.Low) + Square(wa.High - a.Rate)),
            d + Math.Sqrt(Square(wb.High - b.Rate) + Square(a.Rate - wa.Low))
        );
    }

    /// <summary>
    /// 95% interval for the lift pB/pA − 1, or null where a count is 0 and no ratio can be bounded. Source: D. Katz et
    /// al., "Obtaining confidence intervals for the risk ratio in cohort studies", Biometrics 34 (1978).
    /// </summary>
    public static Interval? Lift(Arm a, Arm b)
    {
        if (a.Conversions == 0 || b.Conversions == 0)
            return null;
        var log = Math.Log(b.Rate / a.Rate);
        var half =
            Confidence.Z95 * Math.Sqrt(1.0 / a.Conversions - 1.0 / a.Visitors + 1.0 / b.Conversions - 1.0 / b.Visitors);
        return new(Math.Exp(log - half) - 1, Math.Exp(log + half) - 1);
    }

    private static double Square(double x) => x * x;
}
