using System.Buffers.Binary;
using System.Numerics;

namespace Wexil.Store.Recording;

/// <summary>
/// Reads a write-ahead log that a killed program left behind. SQLite stops at the first frame that is damaged and says
/// nothing, so what stands behind it would be lost without a word.
/// </summary>
/// <remarks>The format is that of sqlite.org/fileformat.html, section 4.</remarks>
internal static class LogDamage
{
    private const int Header = 32,
        FrameHeader = 24;
    private const uint LittleEndian = 0x377f0682,
        BigEndian = 0x377f0683;
    private const int SmallestPage = 512,
        LargestPage = 64 << 10;

    /// <summary>How many committed transactions are behind a damaged place; 0 for a sound log, or none.</summary>
    /// <param name="file">The log, which nobody writes to.</param>
    public static int LostCommits(string file)
    {
        if (!File.Exists(file))
            return 0;
        using var log = new BufferedStream(File.OpenRead(file), 1 << 20);
        var header = new byte[Header];
        if (log.ReadAtLeast(header, Header, throwOnEndOfStream: false) < Header)
            return 0;
        // SQLite takes a log that does not begin as one for an empty one.
        if (!IsLog(header))
            return log.Length > Header + FrameHeader + SmallestPage ? 1 : 0;
        var isLittle = Word(header, 0) == LittleEndian;
        var sum = Sum(header.AsSpan(0, FrameHeader), isLittle, (0, 0));
        var frame = new byte[FrameHeader + (int)Word(header, 8)];
        var (isSound, lost, behind) = (sum == (Word(header, 24), Word(header, 28)), 0, 0);
        while (log.ReadAtLeast(frame, frame.Length, throwOnEndOfStream: false) == frame.Length)
        {
            // Frames of an earlier round begin with other salt: they are no part of this log.
            if (!frame.AsSpan(8, 8).SequenceEqual(header.AsSpan(16, 8)))
                break;
            if (isSound)
            {
                sum = Sum(frame.AsSpan(FrameHeader), isLittle, Sum(frame.AsSpan(0, 8), isLittle, sum));
                isSound = sum == (Word(frame, 16), Word(frame, 20));
            }
            if (isSound)
                continue;
            behind++;
            lost += Word(frame, 4) == 0 ? 0 : 1;
        }
        // A last frame that is torn is what a power cut leaves of something that nobody was told of.
        return behind > 1 ? lost : 0;
    }

    private static bool IsLog(byte[] header) =>
        Word(header, 0) is LittleEndian or BigEndian
        && Word(header, 8) is >= SmallestPage and <= LargestPage and var page
        && BitOperations.IsPow2(page);

    private static uint Word(byte[] bytes, int at) => BinaryPrimitives.ReadUInt32BigEndian(bytes.AsSpan(at));

    private static (uint, uint) Sum(ReadOnlySpan<byte> bytes, bool isLittle, (uint First, uint Second) sum)
    {
        var (first, second) = sum;
        for (var i = 0; i < bytes.Length; i += 8)
        {
            first += Read(bytes[i..], isLittle) + second;
            second += Read(bytes[(i + 4)..], isLittle) + first;
        }
        return (first, second);
    }

    private static uint Read(ReadOnlySpan<byte> bytes, bool isLittle) =>
        isLittle ? BinaryPrimitives.ReadUInt32LittleEndian(bytes) : BinaryPrimitives.ReadUInt32BigEndian(bytes);
}
