using System.Globalization;
using Wexil.Core.Common;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;

namespace Wexil.Store;

/// <summary>How many visitors a page of a test had.</summary>
public readonly record struct PageVisitors(TestId Test, PageId Page, long Visitors);

/// <summary>Visitors who were shown a page of a test without being drawn, and those of them who converted.</summary>
public sealed record ApartArm(PageId Page, ExclusionReason Reason, Arm Arm);

/// <summary>What the visitors of a page of a test brought.</summary>
/// <param name="Buyers">Visitors with an order.</param>
public sealed record PageMoney(PageId Page, long Buyers, long Orders, RevenueSample Revenue);

/// <summary>How a goal of a test was met by the visitors of a page in a phase.</summary>
/// <param name="Visitors">Visitors who met it.</param>
/// <param name="Times">How often, where it counts each time.</param>
/// <param name="Value">What that was worth, in minor units of the owner's currency.</param>
public sealed record GoalTally(
    GoalId Goal,
    PhaseId Phase,
    PageId Page,
    long Visitors,
    long Times,
    long Value,
    double Squares
);

/// <summary>How visitors stayed on a page of a test.</summary>
/// <param name="Visitors">Those whose leaving was seen.</param>
/// <param name="Engaged">Those of them who clicked, scrolled, or stayed ten seconds.</param>
public sealed record PageStay(PageId Page, long Visitors, long Engaged, TimeSpan Time)
{
    /// <summary>Those who did nothing and left soon, of those whose leaving was seen.</summary>
    public Arm Bounced => new(Visitors, Visitors - Engaged);

    /// <summary>How long a visitor stayed on average; zero while nobody’s leaving was seen.</summary>
    public TimeSpan Mean => Visitors == 0 ? TimeSpan.Zero : Time / Visitors;
}

/// <summary>What the visitors of a page had in a phase who share something.</summary>
public sealed record SegmentTally(
    SegmentKind Kind,
    long Value,
    PhaseId Phase,
    PageId Page,
    Arm Arm,
    RevenueSample Revenue
)
{
    /// <summary>The sums of both, under the names of the first.</summary>
    public static SegmentTally operator +(SegmentTally a, SegmentTally b) =>
        a with
        {
            Arm = a.Arm + b.Arm,
            Revenue = a.Revenue + b.Revenue,
        };
}

/// <summary>
/// What visitors of two tests did, by the pages that they saw of each. The conversion is the later step's.
/// </summary>
/// <param name="Earned">What they bought after both, in the owner's currency's smallest unit.</param>
public sealed record PairCell(PageId First, PageId Second, Arm Arm, long Earned);

/// <summary>What the visitors of a combination of versions did.</summary>
/// <param name="Versions">The version of each section's test.</param>
public sealed record CombinationTally(IReadOnlyDictionary<TestId, PageId> Versions, Arm Arm)
{
    /// <summary>Reads a combination as it is stored: "12:301 14:307".</summary>
    internal static IReadOnlyDictionary<TestId, PageId> Parse(string places) =>
        places
            .Split(' ')
            .Select(place => place.Split(':'))
            .ToDictionary(
                place => new TestId(long.Parse(place[0], CultureInfo.InvariantCulture)),
                place => new PageId(long.Parse(place[1], CultureInfo.InvariantCulture))
            );
}

/// <summary>What a page of a test had from the visitors of a quarter of an hour.</summary>
/// <param name="Earned">In the owner's currency's smallest unit.</param>
/// <param name="Squares">The sum of each visitor's money squared.</param>
public readonly record struct PageBucket(PageId Page, DateTimeOffset From, Arm Arm, long Earned, double Squares);
