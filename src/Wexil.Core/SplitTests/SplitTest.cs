using Wexil.Core.Common;

namespace Wexil.Core.SplitTests;

/// <summary>A split test. The first page is the control, A.</summary>
/// <param name="Goal">The step whose being reached is the conversion.</param>
/// <param name="Weights">As the owner set them.</param>
/// <param name="Resting">Pages that rest because they do not answer.</param>
/// <param name="StartedAt">May lie in the future.</param>
/// <param name="DecidedAt">Null until a page is kept.</param>
public sealed record SplitTest(
    TestId Id,
    StepId Step,
    StepId Goal,
    string Name,
    string Idea,
    double BaseRate,
    double SmallestLift,
    DateTimeOffset StartedAt,
    DateTimeOffset? PausedAt,
    DateTimeOffset? DecidedAt,
    IReadOnlyList<PageId> Pages,
    Weights Weights,
    IReadOnlySet<PageId> Resting,
    TestSettings Settings
)
{
    /// <summary>By what it is judged, and when a page is kept by itself.</summary>
    public KeepRule Rule { get; init; } = KeepRule.Default;

    /// <summary>
    /// What a visitor of the control was expected to bring, in the owner's currency's smallest unit: fixed at the first
    /// look that saw enough; null before.
    /// </summary>
    public double? BaseEarned { get; init; }

    /// <summary>
    /// How what visitors bring was spread at that look: the variance of the weighted sum of differences by unit of
    /// weight. Null before, and for a test without a plan.
    /// </summary>
    public double? BaseSpread { get; init; }

    /// <summary>
    /// It is judged by the plan it started with; false for tests that began before there were any, which end by the
    /// rule they began with.
    /// </summary>
    public bool IsPlanned { get; init; }

    /// <summary>
    /// How many pages its plan counts on, the control and all that is compared together with it: more than its own for
    /// a section that is tested beside others. Null for its own at its start; of tests without a
    /// <see cref="PlanDrift"/> alone.
    /// </summary>
    public int? PlannedPages { get; init; }

    /// <summary>
    /// What its plan is made for, as <see cref="Statistics.PlannedSize.PlannedDrift"/> gave it at its start; null for a
    /// test that began before plans went by it.
    /// </summary>
    public double? PlanDrift { get; init; }

    /// <summary>What it checks; null for a test of its own.</summary>
    public KeptCheck? Check { get; init; }

    /// <summary>
    /// The rate that all pages together showed to be expected, at the last look by which the plan went; null before.
    /// </summary>
    public double? SeenRate { get; init; }

    /// <summary>The rate that is expected now: as corrected, else as it was said at the start.</summary>
    public double ExpectedRate => SeenRate ?? BaseRate;

    /// <summary>What it taught, in the owner's words; empty while nobody wrote it down.</summary>
    public string Learned { get; init; } = "";

    /// <summary>No page is kept yet: it runs, waits for its start, is paused, or its time is over.</summary>
    public bool IsOpen => DecidedAt is null;

    /// <summary>Where it stands in its life at a moment.</summary>
    public TestState StateAt(DateTimeOffset now) =>
        (DecidedAt, PausedAt) switch
        {
            (not null, _) => TestState.Decided,
            (_, not null) => TestState.Paused,
            _ when now < StartedAt => TestState.Scheduled,
            _ => now < (Settings.Until ?? DateTimeOffset.MaxValue) ? TestState.Running : TestState.Over,
        };
}
