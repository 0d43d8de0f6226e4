using System.Diagnostics;

namespace Wexil.Store.Recording;

/// <summary>
/// When the writer projects, and for how long: visitors and Studio wait for it meanwhile, screens do not.
/// </summary>
/// <param name="isWaitedFor">Does somebody wait for the writer now?</param>
/// <param name="clock">A time in ticks of <see cref="Stopwatch"/>; null for the real one.</param>
internal sealed class ProjectionPace(Func<bool> isWaitedFor, Func<long>? clock = null)
{
    // While visits come in, projecting waits for a quiet moment or a tenth of a second, and then takes a tenth of the
    // time at most. A burst is put off nearly whole, since in quiet moments projecting is several times faster than
    // visits can come in; but what would take longer than some seconds then is kept up with now.
    private const int Burst = 20_000,
        LongLoad = 250_000;
    private static readonly long MaxLag = Stopwatch.Frequency / 10,
        Breather = Stopwatch.Frequency / 20;

    // A visitor who comes during a slice waits for its end. While nobody comes, the batch grows: the more visits are in
    // it, the fewer rows it writes for each. A visitor who comes then has the batch undone, and slices stay short for a
    // while.
    private static readonly long Slice = Stopwatch.Frequency / 200,
        ShortSlices = Stopwatch.Frequency;

    private readonly Func<long> _now = clock ?? Stopwatch.GetTimestamp;
    private long _lagSince,
        _lastCommit,
        _notBefore,
        _began,
        _longFrom;
    private bool _isLong;

    /// <summary>How long nothing is committed until the moment is a quiet one.</summary>
    public static TimeSpan Quiet { get; } = TimeSpan.FromMilliseconds(5);

    /// <summary>Events were committed.</summary>
    /// <param name="isFirst">All before them are projected.</param>
    public void Committed(bool isFirst)
    {
        _lastCommit = _now();
        if (isFirst)
            _lagSince = _lastCommit;
    }

    /// <summary>May a batch begin where there is something to project?</summary>
    public bool MayBegin()
    {
        var now = _now();
        return Stopwatch.GetElapsedTime(_lastCommit, now) >= Quiet || (now - _lagSince >= MaxLag && now >= _notBefore);
    }

    /// <summary>A batch begins.</summary>
    public void Begin() => (_began, _isLong) = (_now(), false);

    /// <summary>Is the batch to end with the event just projected?</summary>
    public bool IsEnough()
    {
        if (_isLong || _now() - _began < Slice)
            return false;
        _isLong = _began >= _longFrom && !isWaitedFor();
        return !_isLong;
    }

    /// <summary>Is the batch to be undone?</summary>
    public bool IsUrgent() => _isLong && isWaitedFor();

    /// <summary>A batch is committed.</summary>
    /// <param name="left">How many events are left to project.</param>
    public void End(long left)
    {
        var now = _now();
        if (left == 0)
            _lagSince = now;
        var took = now - _began;
        _notBefore =
            now
            + left switch
            {
                < Burst => Math.Max(9 * took, Breather),
                < LongLoad => 49 * took,
                _ => 2 * took,
            };
    }

    /// <summary>A batch was undone.</summary>
    public void GiveUp() => _longFrom = _now() + ShortSlices;
}
