namespace Wexil.Store.Recording;

/// <summary>
/// The events that wait to be written, in no more than so many bytes. Those whose visitors were let go come first and
/// stand apart, so that nobody has to look for whoever still waits. Not safe for several threads.
/// </summary>
/// <param name="mostBytes">What all of them take at most, about.</param>
internal sealed class EventLine(long mostBytes)
{
    private readonly Queue<WaitingEvent> _spilled = [],
        _waiting = [];
    private long _bytes;

    public int Count => _spilled.Count + _waiting.Count;

    /// <summary>The first whose visitor still waits; null where none does.</summary>
    public WaitingEvent? FirstWaiting => _waiting.TryPeek(out var first) ? first : null;

    /// <summary>Those whose visitors still wait.</summary>
    public IEnumerable<WaitingEvent> Waiting => _waiting;

    /// <summary>Adds one that was spilled, or one whose visitor waits.</summary>
    /// <returns>False where there is no room.</returns>
    public bool TryAdd(WaitingEvent entry)
    {
        if (_bytes + entry.Bytes > mostBytes)
            return false;
        Add(entry);
        return true;
    }

    /// <summary>Adds one that has to be kept, whether there is room or not.</summary>
    public void Add(WaitingEvent entry)
    {
        _bytes += entry.Bytes;
        (entry.Spilled ? _spilled : _waiting).Enqueue(entry);
    }

    /// <summary>Moves the first ones to a group, until it has so many. They keep their room until they are written.
    /// </summary>
    public void MoveTo(List<WaitingEvent> group, int most)
    {
        while (group.Count < most && (_spilled.TryDequeue(out var entry) || _waiting.TryDequeue(out entry)))
            group.Add(entry);
    }

    /// <summary>Gives back the room of those that are written.</summary>
    public void Free(IEnumerable<WaitingEvent> written) => _bytes -= written.Sum(entry => entry.Bytes);

    /// <summary>To be called once all who wait were let go.</summary>
    public void LetGo()
    {
        while (_waiting.TryDequeue(out var entry))
            _spilled.Enqueue(entry);
    }
}
