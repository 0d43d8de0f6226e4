using Wexil.Core.Common;

namespace Wexil.Core.SplitTests;

/// <summary>
/// A stretch of a test with unchanged weights, pages and audience. Evidence is computed within phases and then
/// combined.
/// </summary>
/// <param name="Weights">Those in force; pages that came in later are not among them.</param>
/// <param name="Reason">Why it began, in words.</param>
/// <param name="StartedAt">Lies in the future while the test waits for its start.</param>
/// <param name="EndedAt">Lies in the future where the test has a set end; null where it has none.</param>
public sealed record Phase(
    PhaseId Id,
    Weights Weights,
    string Reason,
    DateTimeOffset StartedAt,
    DateTimeOffset? EndedAt
)
{
    /// <summary>Visitors are enrolled in it now, or will be.</summary>
    public bool IsOpenAt(DateTimeOffset now) => EndedAt is not { } end || now < end;
}

/// <summary>A phase that begins.</summary>
/// <param name="Until">The test's set end; null where it has none.</param>
public sealed record PhaseStart(Weights Weights, string Reason, DateTimeOffset From, DateTimeOffset? Until);

/// <summary>What becomes of a test's phases.</summary>
/// <param name="Known">Those that stay, as they are from now on.</param>
/// <param name="Dropped">Those that never began, because the test was stopped first.</param>
/// <param name="Begins">The one that begins; null for none.</param>
public sealed record PhasePlan(IReadOnlyList<Phase> Known, IReadOnlyList<PhaseId> Dropped, PhaseStart? Begins);
