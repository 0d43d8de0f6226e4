using Wexil.Core.Assignments;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.App.Wording;

/// <summary>
/// What data files hold of a test's log, as a person reads it. The stored texts are keys: they never change, however
/// the interface words them.
/// </summary>
public static class StoredWording
{
    // Sentences with a name in front, as earlier versions stored them.
    private static readonly (string Stored, string Shown)[] Endings =
    [
        (" taken out", " removed"),
        (" does not answer and rests", " does not respond and is out of rotation"),
        (" answers again", " responds again"),
        (" has another address", " has a new address"),
    ];

    /// <summary>Why a phase began, or what was changed.</summary>
    public static string What(string stored)
    {
        if (stored.StartsWith(AdaptiveWeights.Reason, StringComparison.Ordinal))
            return $"Favoring the leader:{stored[AdaptiveWeights.Reason.Length..]}";
        foreach (var (ending, shown) in Endings)
            if (stored.EndsWith(ending, StringComparison.Ordinal))
                return stored[..^ending.Length] + shown;
        return stored switch
        {
            TestLife.GoesOn => "Resumed",
            TestStore.StartsLater => "Scheduled",
            VerdictStore.TakenBack => "Keep undone",
            _ => stored,
        };
    }

    /// <summary>Who changed it.</summary>
    public static string Who(string stored) =>
        stored switch
        {
            AdaptiveWeights.Who => "automatic weights",
            TestStore.Watch => "uptime check",
            TestStore.Rule or VerdictStore.ByRule => "keep rule",
            VerdictStore.ByCheck => "check",
            _ => stored,
        };

    /// <summary>Why a page hosted elsewhere did not respond.</summary>
    public static string Problem(string stored) =>
        stored == "private address, not looked at" ? "private address, not checked" : stored;

    /// <summary>Who kept a page, as the end of a sentence.</summary>
    public static string KeptBy(string stored) =>
        stored switch
        {
            VerdictStore.ByRule => "by the rule",
            VerdictStore.ByCheck => "by the check",
            _ => stored,
        };
}
