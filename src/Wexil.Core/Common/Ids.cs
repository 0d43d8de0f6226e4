namespace Wexil.Core.Common;

// One type for each kind of id, so that a step's number can never be passed where a page's is meant.
public readonly record struct FunnelId(long Value);

public readonly record struct StepId(long Value);

public readonly record struct PageId(long Value);

public readonly record struct TestId(long Value);

public readonly record struct PhaseId(long Value);

public readonly record struct SourceId(long Value);

public readonly record struct GoalId(long Value);
