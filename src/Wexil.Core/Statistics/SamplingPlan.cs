namespace Wexil.Core.Statistics;

/// <summary>
/// The sample that a test is planned for: as much as it takes to find the smallest lift worth finding, when that is
/// there.
/// </summary>
/// <param name="Weight">The sum of the weights nA·nB/(nA + nB) over the phases; half the visitors of a page where both
/// have as many.</param>
/// <param name="Variance">Of the weighted sum of differences once that weight is reached. Above 0.</param>
public readonly record struct SamplingPlan(double Weight, double Variance)
{
    /// <summary>The accepted chance of a false call that a test is planned for.</summary>
    public const double Alpha = 0.05;

    /// <summary>The chance that a page as good as that is found.</summary>
    public const double Power = 0.8;

    /// <summary>
    /// Of a test that is to find a lift: planned at the rate in the middle, as the textbook plans. At the base rate
    /// itself the plan would be over before its visitors have come, because a better page varies more.
    /// </summary>
    /// <param name="baseRate">Strictly between 0 and 1.</param>
    /// <param name="lift">The smallest worth finding, as a share of the base rate. Above 0.</param>
    /// <param name="drift">As <see cref="PlannedSize.PlannedDrift"/> gives it for the test's pages.</param>
    public static SamplingPlan ForLift(double baseRate, double lift, double drift)
    {
        var better = Planner.BetterRate(baseRate, lift);
        return ForRates((baseRate + better) / 2, better - baseRate, drift);
    }

    /// <summary>Of two rates.</summary>
    /// <param name="rate">Of both pages together, strictly between 0 and 1.</param>
    /// <param name="tau">The difference to be found. Above 0.</param>
    /// <param name="drift">How far that difference is from none at the plan's end, in standard deviations.</param>
    public static SamplingPlan ForRates(double rate, double tau, double drift) =>
        ForSpread(rate * (1 - rate), tau, drift);

    /// <summary>Of anything that visitors bring.</summary>
    /// <param name="spread">The variance of the weighted sum by unit of weight. Above 0.</param>
    /// <inheritdoc cref="ForRates"/>
    public static SamplingPlan ForSpread(double spread, double tau, double drift)
    {
        var weight = drift * drift * spread / (tau * tau);
        return new(weight, weight * spread);
    }

    /// <summary>
    /// The same visitors, judged by what they bring: of tests that began before a plan by money was made for money.
    /// </summary>
    /// <param name="spread">The variance of the weighted sum by unit of weight. Above 0.</param>
    public SamplingPlan ForMoney(double spread) => this with { Variance = Weight * spread };

    /// <summary>How much of the plan is done: 1 at its end, and more after it.</summary>
    public double Progress(Estimate estimate) => estimate.Sum.Variance / Variance;
}
