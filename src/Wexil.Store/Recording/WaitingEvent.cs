namespace Wexil.Store.Recording;

/// <summary>An event, and the promise that it is recorded: one object, since each visit makes one.</summary>
/// <param name="since">When it came, by the stopwatch.</param>
internal sealed class WaitingEvent(JournalEvent happened, long since) : TaskCompletionSource<Recorded>
{
    /// <summary>What an event takes besides its data: itself, its promise, and its place in the line.</summary>
    private const int OwnBytes = 400;

    public JournalEvent Event { get; } = happened;

    public long Since { get; } = since;

    /// <summary>About what it takes in memory.</summary>
    public long Bytes { get; } = OwnBytes + (happened.Data?.Length ?? 0) * sizeof(char);

    /// <summary>The visitor was let go; the event is in the spill file, if there was room.</summary>
    public bool Spilled { get; set; }
}
