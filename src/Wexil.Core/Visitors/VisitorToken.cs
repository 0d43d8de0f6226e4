using System.Buffers;
using System.Buffers.Binary;
using System.Buffers.Text;
using System.Security.Cryptography;
using Wexil.Core.Common;

namespace Wexil.Core.Visitors;

/// <summary>
/// Carries a visitor's id in an address from one site to the next: signed, and good for ten minutes, so that a
/// forwarded address does not make two strangers one visitor.
/// </summary>
public sealed class VisitorToken(byte[] key) : IDisposable
{
    // Setting a signer up costs more than a signature.
    private readonly ThreadLocal<IncrementalHash> _signer = new(
        () => IncrementalHash.CreateHMAC(HashAlgorithmName.SHA256, key),
        trackAllValues: true
    );

    /// <summary>How long a token opens.</summary>
    public static readonly TimeSpan Life = TimeSpan.FromMinutes(10);
    private const int Payload = 20,
        Signature = 12;

    /// <summary>A token for an address: signed, and good for <see cref="Life"/>.</summary>
    public string Issue(VisitorId visitor, DateTimeOffset now)
    {
        Span<byte> token = stackalloc byte[Payload + Signature];
        visitor.Value.TryWriteBytes(token, bigEndian: true, out _);
        BinaryPrimitives.WriteUInt32BigEndian(token[16..], (uint)(now + Life).ToUnixTimeSeconds());
        Sign(token[..Payload], token[Payload..]);
        return Base64Url.EncodeToString(token);
    }

    /// <summary>The visitor of a token that is ours and not yet over; null otherwise.</summary>
    public VisitorId? Read(string? token, DateTimeOffset now) =>
        Open(token) is { } found && found.Until >= now.ToUnixTimeSeconds() ? found.Visitor : null;

    /// <summary>The visitor of a token that is ours and was issued within a time; null otherwise.</summary>
    public VisitorId? ReadWithin(string? token, TimeSpan age, DateTimeOffset now) =>
        Open(token) is { } found && found.Until >= (now - age + Life).ToUnixTimeSeconds() ? found.Visitor : null;

    /// <summary>
    /// The visitor of a token that is ours, however old: for one that a payment service hands back, which may take
    /// days.
    /// </summary>
    public VisitorId? ReadAnyAge(string? token) => Open(token)?.Visitor;

    private (VisitorId Visitor, uint Until)? Open(string? token)
    {
        Span<byte> bytes = stackalloc byte[Payload + Signature];
        if (
            Base64Url.DecodeFromChars(token, bytes, out _, out var written) != OperationStatus.Done
            || written != bytes.Length
        )
            return null;
        Span<byte> expected = stackalloc byte[Signature];
        Sign(bytes[..Payload], expected);
        if (!CryptographicOperations.FixedTimeEquals(expected, bytes[Payload..]))
            return null;
        return (
            new VisitorId(new Guid(bytes[..16], bigEndian: true)),
            BinaryPrimitives.ReadUInt32BigEndian(bytes[16..])
        );
    }

    /// <summary>A promise that a visitor was drawn for a page, good for as long as a token.</summary>
    public string IssuePage(VisitorId visitor, PageId page, DateTimeOffset now)
    {
        Span<byte> promise = stackalloc byte[12 + Signature];
        BinaryPrimitives.WriteInt64BigEndian(promise, page.Value);
        BinaryPrimitives.WriteUInt32BigEndian(promise[8..], (uint)(now + Life).ToUnixTimeSeconds());
        SignPage(visitor, promise[..12], promise[12..]);
        return Base64Url.EncodeToString(promise);
    }

    /// <summary>The page of a promise that was made to this visitor and is not over; null otherwise.</summary>
    public PageId? ReadPage(string? promise, VisitorId visitor, DateTimeOffset now)
    {
        Span<byte> bytes = stackalloc byte[12 + Signature];
        if (
            Base64Url.DecodeFromChars(promise, bytes, out _, out var written) != OperationStatus.Done
            || written != bytes.Length
        )
            return null;
        Span<byte> expected = stackalloc byte[Signature];
        SignPage(visitor, bytes[..12], expected);
        if (!CryptographicOperations.FixedTimeEquals(expected, bytes[12..]))
            return null;
        return BinaryPrimitives.ReadUInt32BigEndian(bytes[8..]) < now.ToUnixTimeSeconds()
            ? null
            : new PageId(BinaryPrimitives.ReadInt64BigEndian(bytes));
    }

    private void SignPage(VisitorId visitor, ReadOnlySpan<byte> promise, Span<byte> signature)
    {
        Span<byte> whole = stackalloc byte[16 + 12];
        visitor.Value.TryWriteBytes(whole, bigEndian: true, out _);
        promise.CopyTo(whole[16..]);
        Sign(whole, signature);
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var signer in _signer.Values)
            signer.Dispose();
        _signer.Dispose();
    }

    private void Sign(ReadOnlySpan<byte> payload, Span<byte> signature)
    {
        Span<byte> full = stackalloc byte[32];
        var signer = _signer.Value!;
        signer.AppendData(payload);
        signer.GetHashAndReset(full);
        full[..Signature].CopyTo(signature);
    }
}
