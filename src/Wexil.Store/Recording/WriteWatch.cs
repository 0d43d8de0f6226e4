namespace Wexil.Store.Recording;

/// <summary>Notices whether Studio writes something from its beginning to its end, in one flow of calls.</summary>
public sealed class WriteWatch : IDisposable
{
    private static readonly AsyncLocal<WriteWatch?> Ambient = new();

    private volatile bool _hasWritten;

    private WriteWatch() { }

    /// <summary>Something was committed.</summary>
    public bool HasWritten => _hasWritten;

    internal static WriteWatch? Current => Ambient.Value;

    /// <summary>Watches what is called from now on.</summary>
    public static WriteWatch Begin() => Ambient.Value = new();

    internal void Note() => _hasWritten = true;

    /// <inheritdoc/>
    public void Dispose() => Ambient.Value = null;
}
