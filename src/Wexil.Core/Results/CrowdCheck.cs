using Wexil.Core.Statistics;
using Wexil.Core.Visitors;

namespace Wexil.Core.Results;

/// <summary>What the visitors of a test had who share the number of a network or of a browser.</summary>
public sealed record CrowdTally(CrowdKind Kind, int Number, Arm Arm);

/// <summary>A crowd that may be one hand's.</summary>
/// <param name="Others">All whose network, or browser, is known and another.</param>
public sealed record SuspectCrowd(CrowdTally Crowd, Arm Others)
{
    /// <summary>Of all that are known, from 0 to 1.</summary>
    public double Share => (double)Crowd.Arm.Visitors / (Crowd.Arm.Visitors + Others.Visitors);
}

/// <summary>
/// Finds crowds among a test's visitors that look like one hand's: a program, a click farm, somebody who tries it out
/// again and again.
/// </summary>
/// <remarks>
/// Networks are many, so one with a tenth of the visitors is worth a look whatever it does. Browsers are few, and half
/// of all visitors may well have the same: one is only worth a look where it converts quite otherwise than all others.
/// </remarks>
public static class CrowdCheck
{
    /// <summary>Below so many visitors, nothing is said of a crowd.</summary>
    public const long MinVisitors = 100;

    /// <summary>The least share of a crowd, from 0 to 1.</summary>
    public const double MinShare = 0.1;

    /// <summary>So many times more, or less, often than the others a browser's visitors convert.</summary>
    public const double Otherwise = 4;

    /// <summary>And so improbable is that by chance; looked at every hour, so far below the usual 5%.</summary>
    public const double MaxP = 1e-4;

    /// <summary>The largest first.</summary>
    public static IReadOnlyList<SuspectCrowd> Find(IReadOnlyCollection<CrowdTally> tallies)
    {
        IEnumerable<SuspectCrowd> Of(CrowdKind kind)
        {
            var own = tallies.Where(tally => tally.Kind == kind).ToArray();
            var all = own.Aggregate(new Arm(), (sum, tally) => sum + tally.Arm);
            return own.Select(tally => new SuspectCrowd(tally, all - tally.Arm));
        }
        return
        [
            .. Of(CrowdKind.Network)
                .Concat(Of(CrowdKind.Agent).Where(ConvertsOtherwise))
                .Where(crowd => crowd.Crowd.Arm.Visitors >= MinVisitors && crowd.Share >= MinShare)
                .OrderByDescending(crowd => crowd.Share),
        ];
    }

    private static bool ConvertsOtherwise(SuspectCrowd crowd)
    {
        var (own, others) = (crowd.Crowd.Arm, crowd.Others);
        if (own.Visitors == 0 || others.Visitors == 0)
            return false;
        var isFar = own.Rate >= Otherwise * others.Rate || others.Rate >= Otherwise * own.Rate;
        return isFar && TwoRates.PooledP(own, others) <= MaxP;
    }
}
