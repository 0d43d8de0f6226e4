namespace Wexil.Core.Statistics;

/// <summary>
/// The 95% score interval for one rate. Source: E. B. Wilson, "Probable inference, the law of succession, and
/// statistical inference", JASA 22 (1927). Stays inside 0 to 1 and is right for small counts, unlike the rate plus or
/// minus two errors.
/// </summary>
public static class WilsonInterval
{
    /// <exception cref="ArgumentOutOfRangeException">Nobody came: there is no rate to bound.</exception>
    public static Interval Compute(Arm arm, double z = Confidence.Z95) => Compute(StandardRate.From(arm), z);

    /// <inheritdoc cref="Compute(Arm, double)"/>
    public static Interval Compute(StandardRate known, double z = Confidence.Z95)
    {
        ArgumentOutOfRangeException.ThrowIfLessThanOrEqual(known.Visitors, 0, nameof(known));
        double n = known.Visitors,
            p = known.Rate,
            z2 = z * z;
        var centre = (p + z2 / (2 * n)) / (1 + z2 / n);
        var half = z * Math.Sqrt(p * (1 - p) / n + z2 / (4 * n * n)) / (1 + z2 / n);
        return new(Math.Max(0, centre - half), Math.Min(1, centre + half));
    }
}
