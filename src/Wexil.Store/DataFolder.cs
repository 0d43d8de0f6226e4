namespace Wexil.Store;

/// <summary>
/// The one folder that holds everything: the data file, the spill file, the keys. Used by one process at a time.
/// </summary>
public sealed class DataFolder : IDisposable
{
    private const int ReserveBytes = 1 << 20;
    private readonly FileStream _inUse;

    private DataFolder(string path, FileStream inUse) => (Path, _inUse) = (path, inUse);

    /// <summary>The folder, as a whole path.</summary>
    public string Path { get; }

    /// <summary>The SQLite file.</summary>
    public string DataFile => System.IO.Path.Combine(Path, "wexil.db");

    /// <summary>Where events go that the store does not take in time.</summary>
    public string SpillFile => System.IO.Path.Combine(Path, "spill.bin");

    /// <summary>Room that is given up when the disk is full.</summary>
    public string ReserveFile => System.IO.Path.Combine(Path, "reserve.bin");

    /// <summary>Uploads that wait to be told where they belong.</summary>
    public string Uploads => System.IO.Path.Combine(Path, "uploads");

    /// <summary>The keys that sign cookies and tickets.</summary>
    public string Keys => System.IO.Path.Combine(Path, "keys");

    /// <exception cref="StoreException">The folder cannot be written to, or another process uses it.</exception>
    public static DataFolder Open(string path)
    {
        var full = System.IO.Path.GetFullPath(path);
        try
        {
            Directory.CreateDirectory(full);
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            throw new StoreException($"The data folder {full} cannot be created: {error.Message}", error);
        }
        try
        {
            var inUse = new FileStream(
                System.IO.Path.Combine(full, "in-use"),
                FileMode.OpenOrCreate,
                FileAccess.ReadWrite,
                FileShare.None
            );
            return new(full, inUse);
        }
        catch (UnauthorizedAccessException error)
        {
            throw new StoreException($"The data folder {full} cannot be written to.", error);
        }
        catch (IOException error)
        {
            throw new StoreException(
                $"The data folder {full} is in use by another Wexil or cannot be written to: {error.Message}",
                error
            );
        }
    }

    /// <summary>
    /// Takes the room that a later start on a full disk gives up again, so that it can still read what there is.
    /// </summary>
    public void TakeReserve()
    {
        if (File.Exists(ReserveFile))
            return;
        try
        {
            File.WriteAllBytes(ReserveFile, new byte[ReserveBytes]);
        }
        catch (IOException)
        {
            // No room now; the next start tries again.
            File.Delete(ReserveFile);
        }
    }

    /// <inheritdoc/>
    public void Dispose() => _inUse.Dispose();
}
