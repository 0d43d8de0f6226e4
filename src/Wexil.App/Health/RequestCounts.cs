using System.Collections.Concurrent;

namespace Wexil.App.Health;

/// <summary>A request that took long.</summary>
/// <param name="Address">The kind of address, without what stands in it for this one.</param>
public sealed record SlowRequest(string Address, DateTimeOffset At, TimeSpan Took);

/// <summary>How many requests a door answered in the last hour and how many failed, and which took long.</summary>
public sealed class RequestCounts(TimeProvider time)
{
    /// <summary>From here on a request is remembered as slow.</summary>
    public static readonly TimeSpan Slow = TimeSpan.FromSeconds(1);

    private const int Minutes = 60,
        MaxSlow = 20;
    private readonly Lock _lock = new();
    private readonly Slot[] _slots = [.. Enumerable.Range(0, Minutes).Select(_ => new Slot())];
    private readonly ConcurrentQueue<SlowRequest> _slow = [];
    private long _all,
        _failed;

    /// <summary>All requests since the start.</summary>
    public long All => Interlocked.Read(ref _all);

    /// <summary>Those of them that failed by our own fault (5xx).</summary>
    public long Failed => Interlocked.Read(ref _failed);

    /// <summary>The last that took long, the newest first.</summary>
    public IReadOnlyList<SlowRequest> SlowOnes => [.. _slow.Reverse()];

    /// <summary>Counts an answer.</summary>
    public void Add(int status)
    {
        var slot = SlotOf(Minute());
        Interlocked.Increment(ref _all);
        Interlocked.Increment(ref slot.Requests);
        if (status < 500)
            return;
        Interlocked.Increment(ref _failed);
        Interlocked.Increment(ref slot.Failures);
    }

    /// <summary>Remembers an answer that took long.</summary>
    /// <param name="address">The kind of address.</param>
    public void AddSlow(string address, TimeSpan took)
    {
        _slow.Enqueue(new(address, time.GetUtcNow(), took));
        while (_slow.Count > MaxSlow)
            _slow.TryDequeue(out _);
    }

    /// <summary>Requests and failures of the last minutes, at most sixty, this one included.</summary>
    public (long Requests, long Failures) Last(int minutes)
    {
        var now = Minute();
        var (requests, failures) = (0L, 0L);
        foreach (var slot in _slots)
            if (Interlocked.Read(ref slot.Minute) > now - minutes)
            {
                requests += Interlocked.Read(ref slot.Requests);
                failures += Interlocked.Read(ref slot.Failures);
            }
        return (requests, failures);
    }

    private long Minute() => time.GetUtcNow().ToUnixTimeSeconds() / 60;

    private Slot SlotOf(long minute)
    {
        var slot = _slots[minute % Minutes];
        if (Interlocked.Read(ref slot.Minute) == minute)
            return slot;
        lock (_lock)
            if (slot.Minute < minute)
            {
                Interlocked.Exchange(ref slot.Requests, 0);
                Interlocked.Exchange(ref slot.Failures, 0);
                Interlocked.Exchange(ref slot.Minute, minute);
            }
        return slot;
    }

    private sealed class Slot
    {
        public long Minute = -1,
            Requests,
            Failures;
    }
}

/// <summary>What each door has answered.</summary>
public sealed class DoorCounts(TimeProvider time)
{
    /// <summary>The owner's.</summary>
    public RequestCounts Studio { get; } = new(time);

    /// <summary>The visitors'.</summary>
    public RequestCounts Visitors { get; } = new(time);
}
