namespace Wexil.Core.Common;

// One type for each kind of id, so that a step's number can never be passed where a page's is meant.
/// <summary>The number of a funnel.</summary>
public readonly record struct FunnelId(long Value);

/// <summary>The number of a step.</summary>
public readonly record struct StepId(long Value);

/// <summary>The number of a page; stored with every visit.</summary>
public readonly record struct PageId(long Value);

/// <summary>The number of a split test.</summary>
public readonly record struct TestId(long Value);

/// <summary>The number of a phase of a test.</summary>
public readonly record struct PhaseId(long Value);

/// <summary>The number of a source of traffic, above 0; 0 and -1 stand for none and for the rest.</summary>
public readonly record struct SourceId(long Value);

/// <summary>The number of a goal of a test.</summary>
public readonly record struct GoalId(long Value);
