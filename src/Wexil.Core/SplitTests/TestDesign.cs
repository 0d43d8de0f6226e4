using Wexil.Core.Common;

namespace Wexil.Core.SplitTests;

/// <summary>What a split of the visitors costs in time.</summary>
public static class TestDesign
{
    /// <summary>
    /// How many times as many visitors a test takes with this split as with an even one: until the challenger that is
    /// compared with the fewest visitors has had its plan. Below 1 where it takes fewer, 1 for an even one, infinite
    /// where a page gets nobody.
    /// </summary>
    public static double Cost(Weights weights)
    {
        var shares = weights.Percent.Select(weight => weight / (double)Weights.Total).ToArray();
        // A comparison weighs nA·nB/(nA + nB); with an even split of k pages that is 1/(2k) of all visitors.
        var least = shares.Skip(1).Min(share => share == 0 ? 0 : shares[0] * share / (shares[0] + share));
        return 1 / (2.0 * shares.Length) / least;
    }

    /// <summary>
    /// The split with which a test of so many pages ends soonest: every challenger is compared with the control, so the
    /// control gets the square root of their number as many visitors as each of them. Even for two pages.
    /// </summary>
    /// <remarks>Source: C. W. Dunnett, "A multiple comparison procedure for comparing several treatments with a
    /// control", Journal of the American Statistical Association 50 (1955) 1096–1121.</remarks>
    /// <param name="pages">2 or more.</param>
    public static Weights Soonest(int pages)
    {
        var root = Math.Sqrt(pages - 1);
        double[] exact = [root, .. Enumerable.Repeat(1.0, pages - 1)];
        return Weights.Create(
            LargestRemainder.Round([.. exact.Select(part => part / exact.Sum() * Weights.Total)], Weights.Total)
        );
    }
}
