using Wexil.Core.Statistics;

namespace Wexil.Core.Simulation;

/// <summary>What the rule of deciding promises of a kind of test.</summary>
/// <param name="Least">The share of the tests in which a page is called, at least, 0 to 1.</param>
/// <param name="Most">That share at most.</param>
public sealed record CalibrationPromise(double Least, double Most)
{
    // One line in seven hundred is as far off by chance where the share is just the promised one.
    private const double Deviations = 3;

    private const double Tolerance = 0.02;

    /// <summary>Pages that are alike are hardly ever called.</summary>
    public static readonly CalibrationPromise HardlyWrong = new(0, 0.05);

    /// <summary>
    /// A page as much better as planned is found by the visitors planned, with the chance that the planner tells.
    /// </summary>
    public static readonly CalibrationPromise FoundAsPlanned = new(
        SamplingPlan.Power - Tolerance,
        SamplingPlan.Power + Tolerance
    );

    /// <summary>A page as much better as planned is found by 1.6 times the textbook's visitors.</summary>
    public static readonly CalibrationPromise FoundInTheEnd = new(SamplingPlan.Power - Tolerance, 1);

    /// <summary>The end of a test that is half done lies in the range foretold.</summary>
    public static readonly CalibrationPromise InRange = new(SamplingPlan.Power, 1);

    /// <summary>Do simulated tests agree with the promise, as far as so many can tell?</summary>
    /// <param name="called">In how many of them a page was called, 0 to <paramref name="runs"/>.</param>
    public bool IsKept(int called, int runs)
    {
        double Room(double share) => Deviations * Math.Sqrt(share * (1 - share) * runs);
        return called >= runs * Least - Room(Least) && called <= runs * Most + Room(Most);
    }
}
