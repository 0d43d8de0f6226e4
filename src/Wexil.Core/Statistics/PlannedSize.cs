using MathNet.Numerics.RootFinding;

namespace Wexil.Core.Statistics;

/// <summary>
/// How large a planned test has to be, so that it finds the lift it is planned for as often as is said. The textbook's
/// sample is for a single look at its end; a test that is looked at all the time crosses its line a little less often.
/// </summary>
/// <remarks>
/// By the reflection principle, with a drift: D. Siegmund, "Sequential Analysis" (1985), chapter 3. A drift is how far
/// the weighted sum of differences moves until the plan's end, in standard deviations at its end.
/// </remarks>
public static class PlannedSize
{
    /// <summary>
    /// How much larger the sample is because looks are hourly: between two looks the sum may cross the line and come
    /// back. As simulated, that takes 0.8 points of the chance, which 2% more visitors bring back.
    /// </summary>
    private const double HourlyLooks = 1.02;

    private const double LargestDrift = 100;

    /// <summary>
    /// How far from 0 the sum has to be for the first of several challengers to be called, in standard deviations at
    /// the plan's end.
    /// </summary>
    /// <param name="alpha">Accepted chance of a false call, strictly between 0 and 1.</param>
    /// <param name="challengers">1 or more; the first step of <see cref="Holm"/> shares α among them.</param>
    public static double Boundary(double alpha, int challengers) => PlannedTest.Line(alpha / challengers);

    /// <summary>The chance that the sum ever crosses a boundary before the plan's end.</summary>
    public static double ChanceFound(double drift, double boundary) =>
        FirstPassage.Chance(boundary, drift, variance: 0, time: 1);

    /// <summary>The drift with which a challenger is called with the chance asked for.</summary>
    /// <param name="power">That chance, strictly between 0 and 1, and above that of a false call.</param>
    /// <inheritdoc cref="Boundary"/>
    public static double Drift(double power, double alpha, int challengers)
    {
        var boundary = Boundary(alpha, challengers);
        return Brent.FindRoot(drift => ChanceFound(drift, boundary) - power, 0, LargestDrift, 1e-13);
    }

    /// <summary>
    /// How many times the textbook's sample for two pages that is, with the same power and α: 1.13 for 80% and 5%.
    /// </summary>
    /// <inheritdoc cref="Drift"/>
    public static double Factor(double power, double alpha, int challengers)
    {
        var textbook = Confidence.Quantile(1 - alpha / 2) + Confidence.Quantile(power);
        return Math.Pow(Drift(power, alpha, challengers) / textbook, 2);
    }

    /// <summary>The drift that a test looked at every hour is planned for.</summary>
    /// <param name="pages">2 or more.</param>
    /// <inheritdoc cref="Drift"/>
    public static double PlannedDrift(
        int pages,
        double power = SamplingPlan.Power,
        double alpha = SamplingPlan.Alpha
    ) => Drift(power, alpha, pages - 1) * Math.Sqrt(HourlyLooks);

    /// <summary>
    /// The drift that tests were planned for that began before the chance told was the one found: the textbook's, with
    /// α shared among the challengers.
    /// </summary>
    /// <param name="pages">2 or more.</param>
    public static double FormerDrift(int pages) =>
        Confidence.Quantile(1 - SamplingPlan.Alpha / (2 * (pages - 1))) + Confidence.Quantile(SamplingPlan.Power);
}
