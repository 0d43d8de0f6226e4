using MathNet.Numerics.RootFinding;

namespace Wexil.Core.Statistics;

/// <summary>How many visitors a test needs.</summary>
public static class Planner
{
    /// <summary>
    /// Visitors per page for the textbook test of two rates at a size fixed beforehand, two-sided. Source: J. L.
    /// Fleiss, "Statistical Methods for Rates and Proportions" (1981), without continuity correction; the same as R's
    /// power.prop.test.
    /// </summary>
    /// <param name="baseRate">Rate of the control, strictly between 0 and 1.</param>
    /// <param name="otherRate">Rate to be told apart from it, different from it.</param>
    public static double VisitorsPerPage(double baseRate, double otherRate, double power = 0.8, double alpha = 0.05)
    {
        if (baseRate == otherRate)
            return double.PositiveInfinity;
        var middle = (baseRate + otherRate) / 2;
        var root =
            Confidence.Quantile(1 - alpha / 2) * Math.Sqrt(2 * middle * (1 - middle))
            + Confidence.Quantile(power) * Math.Sqrt(baseRate * (1 - baseRate) + otherRate * (1 - otherRate));
        return Math.Pow(root / (baseRate - otherRate), 2);
    }

    /// <summary>
    /// The rate of a page that is better by a lift. Where so many are not left to win, half of those who do not
    /// convert: the rate may turn out higher than was expected when the test began.
    /// </summary>
    /// <param name="baseRate">Strictly between 0 and 1.</param>
    /// <param name="lift">As a share of the base rate, above 0.</param>
    public static double BetterRate(double baseRate, double lift) =>
        lift < HighestLift(baseRate) ? baseRate * (1 + lift) : (1 + baseRate) / 2;

    /// <summary>The largest lift there can be: no page converts more than all. As a share of the base rate.</summary>
    /// <param name="baseRate">Strictly between 0 and 1.</param>
    public static double HighestLift(double baseRate) => (1 - baseRate) / baseRate;

    /// <summary>
    /// The same difference, told of those who do not convert: what a goal of which fewer is better is planned by.
    /// </summary>
    /// <param name="baseRate">Strictly between 0 and 1.</param>
    /// <param name="lift">As a share of the base rate, above 0.</param>
    public static (double BaseRate, double Lift) OfOthers(double baseRate, double lift) =>
        (1 - baseRate, lift * baseRate / (1 - baseRate));

    /// <summary>Visitors over all pages for a planned test to find a lift, evenly split.</summary>
    /// <param name="baseRate">Strictly between 0 and 1.</param>
    /// <param name="lift">As a share of the base rate, above 0.</param>
    /// <param name="pages">2 or more.</param>
    /// <param name="power">The chance that it is found, as it is looked at every hour.</param>
    /// <param name="beside">How many comparisons of other tests are adjusted together with its own.</param>
    public static double PlannedTotal(
        double baseRate,
        double lift,
        int pages,
        double power = SamplingPlan.Power,
        int beside = 0
    ) => SamplingPlan.ForLift(baseRate, lift, PlannedSize.PlannedDrift(pages + beside, power)).Weight * 2 * pages;

    /// <summary>
    /// The smallest lift that so many visitors over all pages find in a planned test, as a share of the base rate;
    /// null where even a tenfold one would not be found.
    /// </summary>
    /// <param name="baseRate">Strictly between 0 and 1.</param>
    public static double? LiftFound(double baseRate, double visitors, int pages, double power = 0.8)
    {
        // No page converts more than all.
        var most = Math.Min(10, (1 - baseRate) / baseRate * 0.999);
        double LogOfNeeded(double lift) => Math.Log(PlannedTotal(baseRate, lift, pages, power) / visitors);
        return LogOfNeeded(most) > 0 ? null : Brent.FindRoot(LogOfNeeded, most * 1e-9, most, 1e-12);
    }
}
