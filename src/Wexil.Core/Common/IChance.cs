namespace Wexil.Core.Common;

/// <summary>The one source of chance, so that a seeded one gives the same world again.</summary>
public interface IChance
{
    /// <summary>Fills the span with random bytes.</summary>
    void Fill(Span<byte> bytes);
}

/// <summary>
/// Chance that repeats itself from a seed; safe to use from several threads, though then the order is not repeatable.
/// </summary>
public sealed class SeededChance(int seed) : IChance
{
    private readonly Random _random = new(seed);
    private readonly Lock _lock = new();

    /// <inheritdoc/>
    public void Fill(Span<byte> bytes)
    {
        lock (_lock)
            _random.NextBytes(bytes);
    }
}
