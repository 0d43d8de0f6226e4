using System.Text.Json.Serialization;
using Wexil.Core.Common;
using Wexil.Core.Statistics;

namespace Wexil.Core.SplitTests;

/// <summary>
/// How a kept page is checked: a share of the visitors goes on seeing the page that it replaced, for some weeks.
/// </summary>
/// <param name="Share">Of a hundred visitors, how many see the page replaced: <see cref="MinShare"/> to
/// <see cref="MaxShare"/>.</param>
/// <param name="Weeks">Full weeks that it goes on: <see cref="MinWeeks"/> to <see cref="MaxWeeks"/>.</param>
/// <param name="TakesBack">The page replaced is shown to everyone again once the kept page is surely worse.</param>
public sealed record CheckPlan(int Share, int Weeks, bool TakesBack)
{
    /// <summary>The smallest and the largest share, in percent.</summary>
    public const int MinShare = 5,
        MaxShare = 20;

    /// <summary>The fewest and the most weeks.</summary>
    public const int MinWeeks = 1,
        MaxWeeks = 12;

    /// <summary>What is proposed.</summary>
    public static readonly CheckPlan Default = new(10, 4, true);

    private const int DaysOfWeek = 7;

    /// <summary>The largest difference that a check is planned for, as a share of the base rate.</summary>
    private const double MaxLift = 1;

    /// <summary>How long it goes on.</summary>
    [JsonIgnore]
    public TimeSpan Lasts => TimeSpan.FromDays(Weeks * DaysOfWeek);

    /// <summary>The kept page first, then the page replaced.</summary>
    [JsonIgnore]
    public Weights Weights => Weights.Create(100 - Share, Share);

    /// <summary>
    /// The smallest difference that the check is likely to find, as a share of the base rate; null where it would not
    /// even find a page that converts twice as many, and where nobody comes.
    /// </summary>
    /// <param name="baseRate">Of the kept page, strictly between 0 and 1.</param>
    /// <param name="visitorsPerDay">On both pages together, 0 or more.</param>
    public double? LiftFound(double baseRate, double visitorsPerDay)
    {
        // A split of s to 1 − s tells as much as an even one of 4·s·(1 − s) as many visitors.
        var share = Share / 100.0;
        var even = visitorsPerDay * Weeks * DaysOfWeek * 4 * share * (1 - share);
        if (even <= 0)
            return null;
        return Planner.LiftFound(baseRate, even, 2) is { } lift && lift <= MaxLift ? lift : null;
    }
}

/// <summary>What a test checks that is the check of a kept page.</summary>
/// <param name="Of">The test that kept the page.</param>
/// <param name="TakesBack">As in its plan.</param>
public sealed record KeptCheck(TestId Of, bool TakesBack);
