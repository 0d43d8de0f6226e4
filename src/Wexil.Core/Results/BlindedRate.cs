using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>
/// Corrects what was expected of the control by what all pages together bring, which tells nothing of which page is
/// ahead: so verdicts stay as sure as they were.
/// </summary>
/// <remarks>Blinded re-estimation: M. Kieser and T. Friede, Statistics in Medicine 19 (2000) 901–911.</remarks>
public static class BlindedRate
{
    private const double Followed = 0.5;

    /// <summary>
    /// The plan still follows what is seen, because less than half of it is done: the first visitors hardly tell.
    /// Later it is fixed, so that the rule does not move with what it judges.
    /// </summary>
    public static bool IsFollowed(IEnumerable<Comparison?> compared) =>
        compared.All(look => look?.Progress is not >= Followed);

    /// <summary>
    /// The rate of the control, if one page is better by the lift that the test is planned for: were it taken to be
    /// that of all pages, the plan would be too small just where there is something to find.
    /// </summary>
    /// <param name="total">Of all pages.</param>
    /// <param name="pages">2 or more.</param>
    /// <param name="lift">As a share of the rate; below 0 for a goal of which fewer is better.</param>
    /// <returns>Null while the pages have brought fewer conversions than it takes to compare them.</returns>
    public static double? Of(Arm total, int pages, double lift) =>
        total.Conversions >= AlwaysValidTest.MinConversions * pages && total.Conversions < total.Visitors
            ? Control(total.Rate, pages, lift)
            : null;

    /// <summary>What the control brings a visitor, from what all pages bring.</summary>
    /// <inheritdoc cref="Of"/>
    internal static double Control(double mean, int pages, double lift) => mean / (1 + lift / pages);
}
