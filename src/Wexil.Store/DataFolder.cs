using System.Buffers.Binary;

namespace Wexil.Store;

/// <summary>
/// The one folder that holds everything: the data file, the spill file, the keys. Used by one process at a time.
/// </summary>
public sealed class DataFolder : DataPaths, IDisposable
{
    private const int ReserveBytes = 1 << 20;

    /// <summary>Whoever else is on the machine reads none of it: people, keys, the password's hash.</summary>
    private const UnixFileMode OwnerOnly = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute;

    private const string LockName = "in-use";

    // Of SQLite's file format: the page size is at byte 16, the number of pages at 28.
    private const int DataFileHeader = 32;

    private readonly FileStream _inUse;

    private DataFolder(string path, FileStream inUse)
        : base(path) => _inUse = inUse;

    /// <exception cref="StoreException">The folder cannot be written to, or another process uses it.</exception>
    public static DataFolder Open(string path)
    {
        var full = System.IO.Path.GetFullPath(path);
        try
        {
            // Somebody else's folder that was named by mistake keeps its rights.
            var isOwn = !Directory.Exists(full) || IsOwn(full);
            Directory.CreateDirectory(full);
            if (isOwn)
                File.SetUnixFileMode(full, OwnerOnly);
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            throw new StoreException($"The data folder {full} cannot be created: {error.Message}", error);
        }
        try
        {
            var inUse = new FileStream(
                System.IO.Path.Combine(full, LockName),
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

    private static bool IsOwn(string folder) =>
        File.Exists(System.IO.Path.Combine(folder, LockName)) || !Directory.EnumerateFileSystemEntries(folder).Any();

    /// <summary>Refuses to begin anew where there was data: an owner would think that all of it is gone.</summary>
    /// <exception cref="StoreException">The data file is missing or empty, and the folder was in use.</exception>
    public void CheckDataIsThere()
    {
        var isThere = File.Exists(DataFile) && new FileInfo(DataFile).Length > 0;
        if (isThere || !File.Exists(ReserveFile))
            return;
        throw new StoreException(
            $"The data file {DataFile} is {(File.Exists(DataFile) ? "empty" : "missing")}, although this folder was in "
                + "use before. Nothing was changed. Restore a backup with wexil restore, or choose another folder."
        );
    }

    /// <summary>Refuses a data file of which a part is missing, as a copy that broke off leaves it.</summary>
    /// <exception cref="StoreException">It is shorter than it says itself.</exception>
    public void CheckDataIsWhole()
    {
        // What the log still has may not be in the data file yet.
        if (!File.Exists(DataFile) || new FileInfo(DataFile + "-wal") is { Exists: true, Length: > 0 })
            return;
        var header = new byte[DataFileHeader];
        using var file = File.OpenRead(DataFile);
        file.ReadAtLeast(header, header.Length, throwOnEndOfStream: false);
        // What is no data file at all is said when it is opened.
        if (!header.AsSpan().StartsWith("SQLite format 3\0"u8))
            return;
        var pageSize = BinaryPrimitives.ReadUInt16BigEndian(header.AsSpan(16));
        var pages = BinaryPrimitives.ReadUInt32BigEndian(header.AsSpan(28));
        var size = pages * (pageSize == 1 ? 65_536L : pageSize);
        if (size > file.Length)
            throw new StoreException(
                $"The data file {DataFile} is cut off: {file.Length:N0} of {size:N0} bytes are there. Nothing was "
                    + "changed. Restore a backup with wexil restore --replace."
            );
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

    /// <summary>Lets nobody but the program's own user read what Wexil keeps in the folder.</summary>
    public void CloseToOthers()
    {
        foreach (var folder in (string[])[Keys, Uploads, BeforeUpgrades, Outbox])
            if (Directory.Exists(folder))
                File.SetUnixFileMode(folder, OwnerOnly);
        foreach (var file in (string[])[DataFile, DataFile + "-wal", DataFile + "-shm", SpillFile, ReserveFile])
            if (File.Exists(file))
                File.SetUnixFileMode(file, UnixFileMode.UserRead | UnixFileMode.UserWrite);
    }

    /// <inheritdoc/>
    public void Dispose() => _inUse.Dispose();
}
