namespace Wexil.Core.Statistics;

/// <summary>
/// The normal-mixture sequential test: looking as often as one likes keeps the chance of a false winner below α.
/// Sources: H. Robbins, "Statistical methods related to the law of the iterated logarithm", Annals of Mathematical
/// Statistics 41 (1970); R. Johari, L. Pekelis and D. Walsh, "Always valid inference", Operations Research 70 (2022).
/// </summary>
public static class AlwaysValidTest
{
    /// <summary>
    /// No call is made before every compared page has this many conversions: below it the normal approximation is poor.
    /// </summary>
    public const int MinConversions = 25;

    /// <summary>One look at a difference.</summary>
    /// <param name="estimate">The difference of the means and its variance.</param>
    /// <param name="tau">Standard deviation of the mixture, in the unit of the difference: the smallest lift worth
    /// finding times the base rate, fixed when the test starts. Above 0.</param>
    /// <param name="alpha">Accepted chance of a false call, between 0 and 1.</param>
    public static Look At(Estimate estimate, double tau, double alpha = 0.05)
    {
        ArgumentOutOfRangeException.ThrowIfNegativeOrZero(tau);
        var (d, v, _) = estimate;
        if (v <= 0)
            return new(0, 1, new(double.NegativeInfinity, double.PositiveInfinity));
        var t2 = tau * tau;
        var logRatio = 0.5 * Math.Log(v / (v + t2)) + t2 * d * d / (2 * v * (v + t2));
        var half = Math.Sqrt(v * (v + t2) / t2 * (2 * Math.Log(1 / alpha) + Math.Log((v + t2) / v)));
        return new(logRatio, Math.Min(1, Math.Exp(-logRatio)), new(d - half, d + half));
    }
}

/// <summary>
/// What one look sees: the log likelihood ratio, the always-valid p of this look, and the always-valid interval of the
/// difference.
/// </summary>
public readonly record struct Look(double LogLikelihoodRatio, double P, Interval Difference);
