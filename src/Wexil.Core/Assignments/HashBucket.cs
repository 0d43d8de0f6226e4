using Wexil.Core.Common;
using Wexil.Core.Visitors;

namespace Wexil.Core.Assignments;

/// <summary>
/// The weighted draw. The chance in it is the visitor's own random id, mixed with the test's, so the same visitor falls
/// on the same page of a phase even when the store cannot be asked, and draws of two tests have nothing to do with each
/// other.
/// </summary>
public static class HashBucket
{
    /// <summary>A number from 0 up to, not including, 1, evenly spread over visitors.</summary>
    public static double Unit(VisitorId visitor, TestId test) => Unit(visitor, (ulong)test.Value);

    /// <summary>
    /// Another such number, which has nothing to do with the first: whether the visitor is of the share that takes
    /// part.
    /// </summary>
    public static double ShareUnit(VisitorId visitor, TestId test) => Unit(visitor, (ulong)test.Value | 1UL << 63);

    /// <summary>Sixty-four bits that depend on all three numbers, and look like chance.</summary>
    public static ulong Bits(ulong first, ulong second, ulong third) => Mix(Mix(Mix(first) ^ second) ^ third);

    private static double Unit(VisitorId visitor, ulong salt)
    {
        Span<byte> bytes = stackalloc byte[16];
        visitor.Value.TryWriteBytes(bytes);
        var hash = Mix(BitConverter.ToUInt64(bytes) ^ Mix(salt));
        hash = Mix(hash ^ BitConverter.ToUInt64(bytes[8..]));
        return (hash >> 11) * (1.0 / (1UL << 53));
    }

    // The finaliser of SplitMix64: G. Steele, D. Lea and C. Flood, "Fast splittable pseudorandom number generators",
    // OOPSLA 2014.
    private static ulong Mix(ulong z)
    {
        z += 0x9E3779B97F4A7C15;
        z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9;
        z = (z ^ (z >> 27)) * 0x94D049BB133111EB;
        return z ^ (z >> 31);
    }
}
