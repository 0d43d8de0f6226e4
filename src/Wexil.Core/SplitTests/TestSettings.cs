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
    Allocation Turns,
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

    public static readonly TestSettings Default = new(Allocation.Chance, 100, Audience.Everyone, null, [], false, null);

    /// <summary>What is different in another way of sending, a sentence each, and whether it begins a phase.</summary>
    /// <param name="name">A page as the owner knows it.</param>
    /// <param name="moment">A moment by the owner's clock.</param>
    public IEnumerable<(string What, bool BeginsPhase)> ChangesTo(
        TestSettings next,
        Func<PageId, string> name,
        Func<DateTimeOffset, string> moment
    )
    {
        if (next.Turns != Turns)
            yield return (
                next.Turns switch
                {
                    Allocation.InTurn => "Pages take turns exactly to weight",
                    Allocation.Lean => "Weights follow the evidence every hour",
                    _ => "Pages are drawn by chance",
                },
                true
            );
        if (next.Floor != Floor && next.Turns == Allocation.Lean)
            yield return ($"Each page gets {next.Floor}% at least", false);
        if (next.Share != Share)
            yield return ($"{next.Share}% of the visitors take part", true);
        if (!next.Audience.Equals(Audience))
            yield return (next.Audience.Sentence().TrimEnd('.'), true);
        if (next.Others != Others)
            yield return (
                next.Others is { } page ? $"Everyone else sees {name(page)}" : "Everyone else sees the control",
                true
            );
        foreach (var page in next.Closed.Except(Closed))
            yield return ($"{name(page)} is closed to affiliates", true);
        foreach (var page in Closed.Except(next.Closed))
            yield return ($"{name(page)} is open to affiliates", true);
        if (next.RestsFailing != RestsFailing)
            yield return (
                next.RestsFailing ? "A page that does not answer rests" : "A page that does not answer stays in",
                false
            );
        if (next.Until != Until)
            yield return (next.Until is { } until ? $"Ends {moment(until)}" : "Runs until decided", false);
    }
}
