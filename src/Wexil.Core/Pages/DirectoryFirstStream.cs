namespace Wexil.Core.Pages;

/// <summary>
/// An archive whose directory is read within a bound: each entry takes ten times its size in memory, before anybody can
/// count them.
/// </summary>
/// <param name="inner">A seekable stream, which its owner closes.</param>
/// <param name="most">What may be read until <see cref="Open"/>, in bytes.</param>
internal sealed class DirectoryFirstStream(Stream inner, long most) : Stream
{
    private long _left = most;

    /// <summary>The directory is read: from now on there is no bound.</summary>
    public void Open() => _left = long.MaxValue;

    public override bool CanRead => true;

    public override bool CanSeek => true;

    public override bool CanWrite => false;

    public override long Length => inner.Length;

    public override long Position
    {
        get => inner.Position;
        set => inner.Position = value;
    }

    public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

    public override int Read(Span<byte> buffer)
    {
        var read = inner.Read(buffer);
        return (_left -= read) >= 0 ? read : throw new InvalidDataException("Its directory is too long.");
    }

    public override long Seek(long offset, SeekOrigin origin) => inner.Seek(offset, origin);

    public override void Flush() { }

    public override void SetLength(long value) => throw new NotSupportedException();

    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
}
