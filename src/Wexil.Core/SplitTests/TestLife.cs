namespace Wexil.Core.SplitTests;

/// <summary>When a test that is neither paused nor decided splits its visitors.</summary>
/// <param name="From">May lie in the past or the future.</param>
/// <param name="Until">Null where no end is set.</param>
public readonly record struct TestRun(DateTimeOffset From, DateTimeOffset? Until);

/// <summary>
/// The life of a test: starting, pausing, going on, changing, keeping and taking back are all one question, what
/// becomes of its phases.
/// </summary>
public static class TestLife
{
    /// <summary>The reason of a phase that begins for no other.</summary>
    public const string GoesOn = "Goes on";

    /// <summary>
    /// Works out the phases from now on, so that together they tile exactly the time that the test runs. A phase that
    /// has begun is never changed but for its end; one that is yet to begin saw nobody, and follows what was changed.
    /// </summary>
    /// <param name="phases">Those so far, the oldest first.</param>
    /// <param name="run">Null while the test is paused or decided.</param>
    /// <param name="weights">Those in force from now on.</param>
    /// <param name="reason">Why what was counted before is about something else; null where it is not, and the phase
    /// under way goes on.</param>
    public static PhasePlan Plan(
        IReadOnlyList<Phase> phases,
        TestRun? run,
        Weights weights,
        string? reason,
        DateTimeOffset now
    )
    {
        var open = phases.Count > 0 && phases[^1].IsOpenAt(now) ? phases[^1] : null;
        var past = open is null ? phases : [.. phases.SkipLast(1)];
        var isAhead = open is not null && open.StartedAt > now;
        if (run is not { } runs || runs.Until <= Later(runs.From, now))
        {
            if (open is null)
                return new(phases, [], null);
            return isAhead ? new(past, [open.Id], null) : new([.. past, open with { EndedAt = now }], [], null);
        }
        var from = Later(runs.From, now);
        var begins = new PhaseStart(weights, reason ?? GoesOn, from, runs.Until);
        if (open is null)
            return new(past, [], begins);
        if (isAhead)
            return new([.. past, open with { Weights = weights, StartedAt = from, EndedAt = runs.Until }], [], null);
        if (reason is null && open.Weights.Equals(weights))
            return new([.. past, open with { EndedAt = runs.Until }], [], null);
        return new([.. past, open with { EndedAt = now }], [], begins);
    }

    private static DateTimeOffset Later(DateTimeOffset one, DateTimeOffset other) => one > other ? one : other;
}
