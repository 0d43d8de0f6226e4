using Wexil.Core.Assignments;
using Wexil.Core.SplitTests;

namespace Wexil.App.Wording;

/// <summary>What was changed of a test, as a person reads it.</summary>
public static class ChangeLog
{
    /// <summary>
    /// Weights that followed the evidence hour after hour are one line, with the last of them; all else stays as it is.
    /// </summary>
    /// <param name="changes">The newest first.</param>
    public static IReadOnlyList<TestChange> Summarize(IReadOnlyList<TestChange> changes)
    {
        var lines = new List<TestChange>();
        for (var i = 0; i < changes.Count; i++)
        {
            var newest = changes[i];
            var times = changes.Skip(i).TakeWhile(change => change.Who == AdaptiveWeights.Who).Count();
            var what = StoredWording.What(newest.What);
            lines.Add(
                newest with
                {
                    What = times < 2 ? what : $"{what}, and {Format.Count(times - 1, "time", "times")} before",
                    Who = StoredWording.Who(newest.Who),
                }
            );
            i += Math.Max(0, times - 1);
        }
        return lines;
    }
}
