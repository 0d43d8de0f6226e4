using System.Buffers;
using System.Buffers.Text;
using Wexil.Core.Common;

namespace Wexil.Core.Visitors;

/// <summary>
/// A visitor's first-party id: a UUID of version 7 (RFC 9562), random but for the millisecond of the first visit, with
/// nothing personal in it. A rehearsal visitor's is of version 8, so that whatever carries the id (a cookie, a token,
/// an order) says by itself that nothing of it counts.
/// </summary>
public readonly record struct VisitorId(Guid Value)
{
    /// <summary>The first-party cookie that holds the id on the visitors' host.</summary>
    public const string CookieName = "wx_visitor";

    /// <summary>Length of the text form.</summary>
    public const int TextLength = 22;

    private const byte Counted = 0x70,
        Rehearsing = 0x80;

    /// <summary>A new visitor’s id; those who come later sort behind.</summary>
    public static VisitorId New(DateTimeOffset now, IChance chance) => new(TimeOrderedId.New(now, chance));

    /// <summary>A new id of a visitor that Wexil itself sends through a funnel, and that never counts.</summary>
    public static VisitorId NewRehearsal(DateTimeOffset now, IChance chance)
    {
        Span<byte> bytes = stackalloc byte[16];
        TimeOrderedId.New(now, chance).TryWriteBytes(bytes, bigEndian: true, out _);
        bytes[6] = (byte)(bytes[6] & 0x0F | Rehearsing);
        return new(new Guid(bytes, bigEndian: true));
    }

    /// <summary>Wexil itself sends this visitor; nothing of the visitor counts.</summary>
    public bool IsRehearsal => Value.Version == Rehearsing >> 4;

    /// <summary>When the visitor first came.</summary>
    public DateTimeOffset FirstSeen
    {
        get => TimeOrderedId.TimeOf(Value);
    }

    /// <summary>The id from its text form; false for anything that is not one.</summary>
    public static bool TryParse(ReadOnlySpan<char> text, out VisitorId id)
    {
        id = default;
        if (text.Length != TextLength)
            return false;
        Span<byte> bytes = stackalloc byte[16];
        if (Base64Url.DecodeFromChars(text, bytes, out _, out var written) != OperationStatus.Done || written != 16)
            return false;
        if ((bytes[6] & 0xF0) is not (Counted or Rehearsing))
            return false;
        id = new(new Guid(bytes, bigEndian: true));
        return true;
    }

    /// <summary>22 characters that need no encoding in a cookie or an address.</summary>
    public override string ToString()
    {
        Span<byte> bytes = stackalloc byte[16];
        Value.TryWriteBytes(bytes, bigEndian: true, out _);
        return Base64Url.EncodeToString(bytes);
    }
}
