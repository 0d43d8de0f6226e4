using System.Buffers.Binary;
using System.Security.Cryptography;

namespace Wexil.Store.Backups;

/// <summary>
/// Encrypts a stream with a passphrase in pieces, so that a file of any size needs little memory; a piece that was
/// changed, left out, moved, or cut off at the end is noticed.
/// </summary>
/// <remarks>
/// AES-256 in GCM by piece, the nonce made of a prefix, the piece's number, and whether it is the last (the STREAM
/// construction of Hoang, Reyhanitabar, Rogaway and Vizár, CRYPTO 2015). The key is PBKDF2's with SHA-256.
/// </remarks>
public sealed class SealedStream : Stream
{
    private const int Piece = 64 << 10,
        SaltSize = 16,
        PrefixSize = 7,
        NonceSize = 12,
        TagSize = 16,
        KeySize = 32,
        Iterations = 600_000;
    private static readonly byte[] Magic = "wexil sealed 1\n"u8.ToArray();
    private static readonly int HeaderSize = Magic.Length + SaltSize + PrefixSize;

    private readonly Stream _inner;
    private readonly AesGcm _cipher;
    private readonly byte[] _header;
    private readonly bool _isWriting;
    private readonly byte[] _plain = new byte[Piece],
        _sealed = new byte[Piece + TagSize],
        _ahead = new byte[Piece + TagSize];
    private uint _number;
    private int _filled,
        _taken,
        _waiting;
    private bool _isEnded;

    private SealedStream(Stream inner, byte[] header, string passphrase, bool isWriting, int rounds)
    {
        (_inner, _header, _isWriting) = (inner, header, isWriting);
        var salt = header.AsSpan(Magic.Length, SaltSize);
        var key = Rfc2898DeriveBytes.Pbkdf2(passphrase, salt, rounds, HashAlgorithmName.SHA256, KeySize);
        _cipher = new(key, TagSize);
        CryptographicOperations.ZeroMemory(key);
        if (isWriting)
            inner.Write(header);
        else
            _waiting = inner.ReadAtLeast(_ahead, _ahead.Length, throwOnEndOfStream: false);
    }

    /// <summary>A stream whose content goes sealed into another, which its caller closes after it.</summary>
    public static SealedStream Write(Stream inner, string passphrase) => Write(inner, passphrase, Iterations);

    /// <param name="rounds">How slow the key is made of the passphrase; to be the same when it is read.</param>
    internal static SealedStream Write(Stream inner, string passphrase, int rounds)
    {
        var header = new byte[HeaderSize];
        Magic.CopyTo(header, 0);
        RandomNumberGenerator.Fill(header.AsSpan(Magic.Length));
        return new(inner, header, passphrase, isWriting: true, rounds);
    }

    /// <summary>Whether a stream begins as a sealed one; it is left where it was.</summary>
    public static bool IsSealed(Stream inner)
    {
        var begin = new byte[Magic.Length];
        var at = inner.Position;
        inner.ReadAtLeast(begin, begin.Length, throwOnEndOfStream: false);
        inner.Position = at;
        return begin.AsSpan().SequenceEqual(Magic);
    }

    /// <summary>The content of a sealed stream. Reading throws <see cref="StoreException"/> where it was changed or the
    /// passphrase is another.</summary>
    public static SealedStream Read(Stream inner, string passphrase) => Read(inner, passphrase, Iterations);

    internal static SealedStream Read(Stream inner, string passphrase, int rounds)
    {
        var header = new byte[HeaderSize];
        if (inner.ReadAtLeast(header, HeaderSize, throwOnEndOfStream: false) < HeaderSize)
            throw new StoreException("The file ends before it has begun.");
        return new(inner, header, passphrase, isWriting: false, rounds);
    }

    /// <inheritdoc/>
    public override bool CanRead => !_isWriting;

    /// <inheritdoc/>
    public override bool CanWrite => _isWriting;

    /// <inheritdoc/>
    public override bool CanSeek => false;

    /// <inheritdoc/>
    public override long Length => throw new NotSupportedException();

    /// <inheritdoc/>
    public override long Position
    {
        get => throw new NotSupportedException();
        set => throw new NotSupportedException();
    }

    /// <inheritdoc/>
    public override void Write(byte[] buffer, int offset, int count) => Write(buffer.AsSpan(offset, count));

    /// <inheritdoc/>
    public override void Write(ReadOnlySpan<byte> buffer)
    {
        while (buffer.Length > 0)
        {
            // A full piece waits until it is known whether another follows.
            if (_filled == Piece)
                WritePiece(isLast: false);
            var taken = Math.Min(Piece - _filled, buffer.Length);
            buffer[..taken].CopyTo(_plain.AsSpan(_filled));
            _filled += taken;
            buffer = buffer[taken..];
        }
    }

    /// <inheritdoc/>
    public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

    /// <inheritdoc/>
    public override int Read(Span<byte> buffer)
    {
        while (_taken == _filled)
        {
            if (_isEnded)
                return 0;
            ReadPiece();
        }
        var taken = Math.Min(buffer.Length, _filled - _taken);
        _plain.AsSpan(_taken, taken).CopyTo(buffer);
        _taken += taken;
        return taken;
    }

    /// <inheritdoc/>
    public override void Flush() { }

    /// <inheritdoc/>
    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    /// <inheritdoc/>
    public override void SetLength(long value) => throw new NotSupportedException();

    /// <inheritdoc/>
    protected override void Dispose(bool disposing)
    {
        if (disposing)
        {
            if (_isWriting && !_isEnded)
                WritePiece(isLast: true);
            _isEnded = true;
            _cipher.Dispose();
        }
        base.Dispose(disposing);
    }

    private void WritePiece(bool isLast)
    {
        var text = _sealed.AsSpan(0, _filled);
        _cipher.Encrypt(Nonce(isLast), _plain.AsSpan(0, _filled), text, _sealed.AsSpan(_filled, TagSize), _header);
        _inner.Write(_sealed.AsSpan(0, _filled + TagSize));
        (_filled, _number) = (0, checked(_number + 1));
    }

    private void ReadPiece()
    {
        _ahead.AsSpan(0, _waiting).CopyTo(_sealed);
        var size = _waiting;
        _waiting = size < _sealed.Length ? 0 : _inner.ReadAtLeast(_ahead, _ahead.Length, throwOnEndOfStream: false);
        var isLast = _waiting == 0;
        if (size < TagSize)
            throw new StoreException("The file ends too early.");
        (_filled, _taken, _isEnded) = (size - TagSize, 0, isLast);
        try
        {
            _cipher.Decrypt(
                Nonce(isLast),
                _sealed.AsSpan(0, _filled),
                _sealed.AsSpan(_filled, TagSize),
                _plain.AsSpan(0, _filled),
                _header
            );
        }
        catch (AuthenticationTagMismatchException error)
        {
            throw new StoreException(
                _number == 0
                    ? "The passphrase is not the one that the file was sealed with, or the file is damaged."
                    : "The file is damaged or ends too early.",
                error
            );
        }
        _number++;
    }

    private ReadOnlySpan<byte> Nonce(bool isLast)
    {
        var nonce = new byte[NonceSize];
        _header.AsSpan(HeaderSize - PrefixSize).CopyTo(nonce);
        BinaryPrimitives.WriteUInt32BigEndian(nonce.AsSpan(PrefixSize), _number);
        nonce[^1] = isLast ? (byte)1 : (byte)0;
        return nonce;
    }
}
