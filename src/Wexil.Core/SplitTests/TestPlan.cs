using Wexil.Core.Common;
using Wexil.Core.Goals;

namespace Wexil.Core.SplitTests;

/// <summary>What a person settles when starting a test.</summary>
/// <param name="From">When it starts; null for now.</param>
/// <param name="Main">What counts instead of reaching the goal step.</param>
/// <param name="Ready">What the owner was told before starting.</param>
/// <param name="OnMoney">Judged by earned per visitor.</param>
/// <param name="Beside">How many comparisons of tests beside it are adjusted together with its own.</param>
/// <param name="Check">What it checks; null for a test of its own.</param>
public sealed record TestPlan(
    StepId Step,
    StepId Goal,
    string Name,
    string Idea,
    double BaseRate,
    double SmallestLift,
    IReadOnlyList<PageId> Pages,
    Weights Weights,
    TestSettings? Settings = null,
    DateTimeOffset? From = null,
    Goal? Main = null,
    IReadOnlyList<ReadyLine>? Ready = null,
    bool OnMoney = false,
    int Beside = 0,
    KeptCheck? Check = null
)
{
    /// <summary>How many pages are compared together: those that get visitors, and those beside; 2 or more.</summary>
    public int ComparedPages => Math.Max(2, Weights.Percent.Count(weight => weight > 0) + Beside);
}

/// <summary>Something that was looked at before a test started.</summary>
/// <param name="Good">Null where it could not be told.</param>
public sealed record ReadyLine(string What, bool? Good, string Words);

/// <summary>A line of a test's log.</summary>
public sealed record TestChange(DateTimeOffset At, string Who, string What);
