using Wexil.Core.Common;
using Wexil.Core.Targeting;

namespace Wexil.Core.SplitTests;

/// <summary>How a test sends its visitors, besides the weights.</summary>
/// <param name="Share">How many of a hundred visitors take part, 1 to 100.</param>
/// <param name="Others">What people outside the audience see; null for the control.</param>
/// <param name="Closed">Pages that affiliates' visitors are not sent to.</param>
/// <param name="RestsFailing">An outside page that does not answer rests until it does.</param>
/// <param name="Until">When the test ends by itself; null for when it is decided.</param>
public sealed record TestSettings(
    Allocation Allocation,
    int Share,
    Audience Audience,
    PageId? Others,
    IReadOnlyList<PageId> Closed,
    bool RestsFailing,
    DateTimeOffset? Until
)
{
    /// <summary>
    /// The least that a page gets while weights follow the evidence, where the owner says nothing; in percent.
    /// </summary>
    public const int DefaultFloor = 5;

    /// <summary>The least that a page gets while weights follow the evidence, in percent.</summary>
    public int Floor { get; init; } = DefaultFloor;

    /// <summary>By chance, everyone, until decided.</summary>
    public static readonly TestSettings Default = new(Allocation.Random, 100, Audience.Everyone, null, [], false, null);

    /// <summary>What is different in another way of sending.</summary>
    public IEnumerable<SettingChange> ChangesTo(TestSettings next)
    {
        if (next.Allocation != Allocation)
            yield return new SettingChange.AllocationChange(next.Allocation);
        if (next.Floor != Floor && next.Allocation == Allocation.Adaptive)
            yield return new SettingChange.Floor(next.Floor);
        if (next.Share != Share)
            yield return new SettingChange.Share(next.Share);
        if (!next.Audience.Equals(Audience))
            yield return new SettingChange.TakingPart(next.Audience);
        if (next.Others != Others)
            yield return new SettingChange.Others(next.Others);
        foreach (var page in next.Closed.Except(Closed))
            yield return new SettingChange.Closed(page);
        foreach (var page in Closed.Except(next.Closed))
            yield return new SettingChange.Opened(page);
        if (next.RestsFailing != RestsFailing)
            yield return new SettingChange.RestsFailing(next.RestsFailing);
        if (next.Until != Until)
            yield return new SettingChange.Until(next.Until);
    }
}
