using System.Collections.Concurrent;

namespace Wexil.Web.Visitors.Callers;

/// <summary>
/// Remembers what was worked out for texts that strangers send, in no more than so many bytes: texts that come again
/// stay, and the others make room.
/// </summary>
/// <param name="longest">How much of a text counts, in characters; the rest is neither read nor kept.</param>
/// <param name="mostBytes">What all of it takes at most, about.</param>
internal sealed class BoundedCache<T>(int longest, int mostBytes)
    where T : struct
{
    /// <summary>What an entry takes besides its letters: the text's head, and its place in the dictionary.</summary>
    private const int EntryBytes = 120;

    private readonly Lock _lock = new();

    // What is asked for again moves from the older half to the younger; the older one goes as a whole.
    private volatile Half _young = new(),
        _old = new();

    /// <summary>About how many bytes it takes.</summary>
    public int Bytes => _young.Bytes + _old.Bytes;

    /// <summary>What is known of a text, worked out where it is not.</summary>
    /// <param name="find">Is given what counts of the text.</param>
    public T Of(string text, Func<string, T> find)
    {
        var counts = text.AsSpan(0, Math.Min(text.Length, longest));
        var young = _young;
        if (young.Lookup.TryGetValue(counts, out var known))
            return known;
        var key = text.Length > longest ? counts.ToString() : text;
        if (!_old.Lookup.TryGetValue(counts, out known))
            known = find(key);
        if (young.Add(key, known) > mostBytes / 2)
            Turn(young);
        return known;
    }

    private void Turn(Half full)
    {
        lock (_lock)
        {
            if (_young == full)
                (_old, _young) = (full, new());
        }
    }

    private sealed class Half
    {
        private readonly ConcurrentDictionary<string, T> _known = new(StringComparer.Ordinal);
        private int _bytes;

        public Half() => Lookup = _known.GetAlternateLookup<ReadOnlySpan<char>>();

        public ConcurrentDictionary<string, T>.AlternateLookup<ReadOnlySpan<char>> Lookup { get; }

        public int Bytes => Volatile.Read(ref _bytes);

        /// <returns>The bytes of all.</returns>
        public int Add(string key, T value) =>
            _known.TryAdd(key, value)
                ? Interlocked.Add(ref _bytes, key.Length * sizeof(char) + EntryBytes)
                : Volatile.Read(ref _bytes);
    }
}
