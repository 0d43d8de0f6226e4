using System.Globalization;

namespace Wexil.Store.Backups;

/// <summary>Puts a backup in a data folder's place.</summary>
public static class Restore
{
    private const string Working = "restoring";

    /// <summary>
    /// Unpacks and checks the backup first, then moves what is in the folder aside and the backup's files in. Whatever
    /// fails before leaves the folder as it was.
    /// </summary>
    /// <param name="folder">The data folder, held by nobody else.</param>
    /// <returns>What the backup held, and where the folder's data went; null where there was none.</returns>
    /// <exception cref="StoreException">The backup is damaged, sealed, of a newer program, or there is no
    /// room.</exception>
    public static (BackupContent Content, string? Aside) Run(
        string file,
        DataFolder folder,
        DateTimeOffset now,
        string? passphrase,
        Action<double>? progress = null
    )
    {
        var working = Path.Combine(folder.Path, Working);
        try
        {
            Clear(working);
            Directory.CreateDirectory(working);
            var content = Backup.Unpack(file, working, passphrase, progress);
            Database.CheckIsNotNewer(Path.Combine(working, "wexil.db"));
            var aside = MoveAside(folder, now);
            foreach (var part in Directory.GetFileSystemEntries(working))
                Directory.Move(part, Path.Combine(folder.Path, Path.GetFileName(part)));
            // The folder is in use from now on, whether it is ever started or not.
            folder.TakeReserve();
            return (content, aside);
        }
        catch (IOException error)
        {
            throw new StoreException($"{file} could not be restored: {error.Message}", error);
        }
        finally
        {
            Clear(working);
        }
    }

    private static string? MoveAside(DataFolder folder, DateTimeOffset now)
    {
        string[] old =
        [
            .. new[]
            {
                folder.DataFile,
                folder.DataFile + "-wal",
                folder.DataFile + "-shm",
                folder.SpillFile,
                folder.Keys,
            }.Where(Path.Exists),
        ];
        if (old.Length == 0)
            return null;
        var name = $"before-restore-{now.UtcDateTime.ToString("yyyyMMdd-HHmmss", CultureInfo.InvariantCulture)}";
        var aside = Path.Combine(folder.Path, name);
        Directory.CreateDirectory(aside);
        foreach (var part in old)
            Directory.Move(part, Path.Combine(aside, Path.GetFileName(part)));
        return aside;
    }

    private static void Clear(string working)
    {
        if (Directory.Exists(working))
            Directory.Delete(working, recursive: true);
    }
}
