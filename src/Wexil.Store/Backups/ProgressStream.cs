namespace Wexil.Store.Backups;

/// <summary>Reads on, and tells how much of a file has been read.</summary>
internal sealed class ProgressStream(FileStream file, Action<double> progress) : Stream
{
    public override bool CanRead => true;
    public override bool CanSeek => file.CanSeek;
    public override bool CanWrite => false;
    public override long Length => file.Length;

    public override long Position
    {
        get => file.Position;
        set => file.Position = value;
    }

    public override int Read(byte[] buffer, int offset, int count)
    {
        var read = file.Read(buffer, offset, count);
        progress((double)file.Position / Math.Max(1, file.Length));
        return read;
    }

    public override void Flush() { }

    public override long Seek(long offset, SeekOrigin origin) => file.Seek(offset, origin);

    public override void SetLength(long value) => throw new NotSupportedException();

    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();

    protected override void Dispose(bool disposing)
    {
        if (disposing)
            file.Dispose();
        base.Dispose(disposing);
    }
}
