namespace Wexil.App.Outbox;

/// <summary>
/// A connection to a server that is believed only so far: past a number of bytes, reading fails. What is read is kept
/// until a line ends, so a line without an end would fill the memory.
/// </summary>
/// <param name="inner">Is closed with it.</param>
/// <param name="most">In bytes, over the whole connection.</param>
internal sealed class ReadLimitedStream(Stream inner, long most) : Stream
{
    private long _read;

    public override bool CanRead => true;

    public override bool CanWrite => true;

    public override bool CanSeek => false;

    public override bool CanTimeout => inner.CanTimeout;

    public override int ReadTimeout
    {
        get => inner.ReadTimeout;
        set => inner.ReadTimeout = value;
    }

    public override int WriteTimeout
    {
        get => inner.WriteTimeout;
        set => inner.WriteTimeout = value;
    }

    public override long Length => throw new NotSupportedException();

    public override long Position
    {
        get => throw new NotSupportedException();
        set => throw new NotSupportedException();
    }

    public override int Read(byte[] buffer, int offset, int count) => Count(inner.Read(buffer, offset, count));

    public override async ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken stop = default) =>
        Count(await inner.ReadAsync(buffer, stop));

    public override Task<int> ReadAsync(byte[] buffer, int offset, int count, CancellationToken stop) =>
        ReadAsync(buffer.AsMemory(offset, count), stop).AsTask();

    public override void Write(byte[] buffer, int offset, int count) => inner.Write(buffer, offset, count);

    public override ValueTask WriteAsync(ReadOnlyMemory<byte> buffer, CancellationToken stop = default) =>
        inner.WriteAsync(buffer, stop);

    public override Task WriteAsync(byte[] buffer, int offset, int count, CancellationToken stop) =>
        inner.WriteAsync(buffer, offset, count, stop);

    public override void Flush() => inner.Flush();

    public override Task FlushAsync(CancellationToken stop) => inner.FlushAsync(stop);

    public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

    public override void SetLength(long value) => throw new NotSupportedException();

    protected override void Dispose(bool disposing)
    {
        if (disposing)
            inner.Dispose();
        base.Dispose(disposing);
    }

    private int Count(int read) =>
        (_read += read) <= most ? read : throw new IOException($"it sent more than {most >> 10} KB.");
}
