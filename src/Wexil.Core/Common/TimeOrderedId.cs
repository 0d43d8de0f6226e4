using System.Buffers.Binary;

namespace Wexil.Core.Common;

/// <summary>
/// Makes UUIDs of version 7 (RFC 9562): random but for the millisecond they begin with, so that they lie in order of
/// time.
/// </summary>
public static class TimeOrderedId
{
    private const long LastMoment = 253_402_300_799_999;

    /// <summary>A new id of a moment: what is made later sorts behind.</summary>
    public static Guid New(DateTimeOffset now, IChance chance)
    {
        Span<byte> bytes = stackalloc byte[16];
        chance.Fill(bytes[6..]);
        Span<byte> time = stackalloc byte[8];
        BinaryPrimitives.WriteInt64BigEndian(time, now.ToUnixTimeMilliseconds());
        time[2..].CopyTo(bytes);
        bytes[6] = (byte)(bytes[6] & 0x0F | 0x70);
        bytes[8] = (byte)(bytes[8] & 0x3F | 0x80);
        return new(bytes, bigEndian: true);
    }

    /// <summary>The moment that an id of version 7 begins with; far off for an id that is none.</summary>
    public static DateTimeOffset TimeOf(Guid id)
    {
        Span<byte> bytes = stackalloc byte[16];
        id.TryWriteBytes(bytes, bigEndian: true, out _);
        // A forged id may hold any number; none of ours is past the year 9999.
        return DateTimeOffset.FromUnixTimeMilliseconds(
            Math.Min(BinaryPrimitives.ReadInt64BigEndian(bytes) >>> 16, LastMoment)
        );
    }
}
