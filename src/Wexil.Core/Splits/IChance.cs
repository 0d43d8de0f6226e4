using System.Security.Cryptography;

namespace Wexil.Core.Splits;

/// <summary>The one source of chance, so that a seeded one gives the same world again.</summary>
public interface IChance
{
    /// <summary>Fills the span with random bytes.</summary>
    void Fill(Span<byte> bytes);
}

/// <summary>Chance that repeats itself from a seed; safe to use from several threads, though then the order is not repeatable.</summary>
public sealed class SeededChance(int seed) : IChance
{
    private readonly Random _random = new(seed);
    private readonly Lock _lock = new();

    public void Fill(Span<byte> bytes)
    {
        lock (_lock) _random.NextBytes(bytes);
    }
}

/// <summary>Chance nobody can foresee: visitors' ids must not be guessable.</summary>
public sealed class SecureChance : IChance
{
    private const int Stock = 4096;

    // Asking the system for each id costs more than the rest of making one, so every thread keeps some in stock.
    [ThreadStatic]
    private static byte[]? _stock;

    [ThreadStatic]
    private static int _left;

    public void Fill(Span<byte> bytes)
    {
        _stock ??= new byte[Stock];
        if (_left < bytes.Length)
        {
            RandomNumberGenerator.Fill(_stock);
            _left = Stock;
        }
        var taken = _stock.AsSpan(_left - bytes.Length, bytes.Length);
        taken.CopyTo(bytes);
        taken.Clear();
        _left -= bytes.Length;
    }
}
