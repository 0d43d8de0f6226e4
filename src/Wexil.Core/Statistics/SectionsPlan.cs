namespace Wexil.Core.Statistics;

/// <summary>
/// How many visitors tests of several sections take, each with a plan: all at once, one section after the other,
/// or each combination as a page of its own.
/// </summary>
/// <param name="AllAtOnce">Every visitor tells about every section.</param>
/// <param name="OneAtATime">The sum over the sections.</param>
/// <param name="AsPages">A page for each combination; infinite where there are more than anybody tests.</param>
public sealed record SectionsPlan(double AllAtOnce, double OneAtATime, double AsPages)
{
    private const int MaxPages = 100;

    /// <summary>Works it out.</summary>
    /// <param name="versions">How many each section has, 2 or more.</param>
    /// <param name="rate">That of the page as it is, strictly between 0 and 1.</param>
    /// <param name="lift">The smallest worth finding in each section, above 0.</param>
    public static SectionsPlan For(IReadOnlyList<int> versions, double rate, double lift)
    {
        // Each version needs the visitors that a page does; those of all sections are compared together.
        var compared = 1 + versions.Sum(count => count - 1);
        var each = Planner.PlannedTotal(rate, lift, compared) / compared;
        var pages = versions.Aggregate(1L, (product, count) => Math.Min(MaxPages + 1, product * count));
        return new(
            each * versions.Max(),
            versions.Sum(count => Planner.PlannedTotal(rate, lift, count)),
            pages > MaxPages ? double.PositiveInfinity : Planner.PlannedTotal(rate, lift, (int)pages)
        );
    }
}
