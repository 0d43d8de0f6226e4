using Wexil.Core.Results;
using Wexil.Core.Visitors;

namespace Wexil.App.Wording;

/// <summary>Puts into words that many visitors come from one hand.</summary>
public static class CrowdWording
{
    /// <summary>How many, and what they do; the number may hold a few others, so it is about as many.</summary>
    /// <param name="words">What conversions are called, in the plural and the singular.</param>
    public static string Say(SuspectCrowd crowd, (string Many, string One) words)
    {
        var (own, isNetwork) = (crowd.Crowd.Arm, crowd.Crowd.Kind == CrowdKind.Network);
        if (crowd.Others.Visitors == 0)
            return isNetwork
                ? "All visitors come from one network. A proxy before Wexil may not say where they come from."
                : "All visitors report the same browser.";
        return $"About {Format.Count(own.Visitors, "visitor", "visitors")} ({Format.Percent(crowd.Share)}) "
            + (isNetwork ? "come from one network" : "report the same browser")
            + $": {Format.Percent(own.Rate)} {words.Many}, against {Format.Percent(crowd.Others.Rate)} of all others.";
    }
}
