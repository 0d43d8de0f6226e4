namespace Wexil.Store.Recording;

/// <summary>
/// Something that only Studio's writes change, read once and known by heart until one of them does. What is read while
/// such a write is under way is not kept, since it may be what was there before.
/// </summary>
/// <param name="read">Reads it from the store.</param>
public sealed class ByHeart<T>(Func<T> read)
    where T : class
{
    private readonly Lock _lock = new();
    private T? _known;
    private long _changes;

    /// <summary>As it is now.</summary>
    public T Value
    {
        get
        {
            long before;
            lock (_lock)
            {
                if (_known is { } known)
                    return known;
                before = _changes;
            }
            var found = read();
            lock (_lock)
            {
                if (before == _changes)
                    _known = found;
            }
            return found;
        }
    }

    /// <summary>To be called once a write that changed it is committed.</summary>
    public void Forget()
    {
        lock (_lock)
        {
            _changes++;
            _known = null;
        }
    }
}
