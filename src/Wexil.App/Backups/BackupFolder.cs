using System.Globalization;
using Wexil.Store;
using Wexil.Store.Backups;

namespace Wexil.App.Backups;

/// <summary>Where backups are made by the clock.</summary>
/// <param name="Folder">Null where none are made.</param>
/// <param name="Passphrase">Seals them; null where they are not sealed.</param>
/// <param name="HandOver">A program that is called with the path of each new backup, to take it elsewhere; null for
/// none.</param>
public sealed record BackupOptions(string? Folder = null, string? Passphrase = null, string? HandOver = null);

/// <summary>The backups in their folder, each named by its moment.</summary>
public sealed class BackupFolder(BackupOptions options)
{
    private const string Begin = "wexil-",
        End = ".backup",
        Moment = "yyyyMMdd-HHmmss";

    /// <summary>Backups are made by the clock.</summary>
    public bool IsUsed => options.Folder is not null;

    /// <summary>When the last was made; null where there is none.</summary>
    public DateTimeOffset? Last => Made().Select(moment => (DateTimeOffset?)moment).Max();

    /// <summary>How many there are, and what room they take in bytes.</summary>
    public (int Count, long Bytes) Size()
    {
        var files = Made().Select(moment => new FileInfo(PathOf(moment))).Where(file => file.Exists).ToArray();
        return (files.Length, files.Sum(file => file.Length));
    }

    /// <summary>When each was made.</summary>
    public IReadOnlyList<DateTimeOffset> Made() =>
        Directory.Exists(options.Folder)
            ?
            [
                .. Directory
                    .EnumerateFiles(options.Folder, Begin + "*" + End)
                    .Select(file => ReadMoment(Path.GetFileName(file)))
                    .OfType<DateTimeOffset>(),
            ]
            : [];

    /// <summary>Makes one.</summary>
    /// <returns>Its path.</returns>
    /// <exception cref="StoreException">It could not be made.</exception>
    public string Make(DataPaths data, DateTimeOffset now, CancellationToken stop)
    {
        var file = PathOf(now);
        try
        {
            Directory.CreateDirectory(options.Folder!);
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            throw new StoreException($"The folder {options.Folder} cannot be made: {error.Message}", error);
        }
        DeleteUnfinished();
        CheckRoom(data);
        Backup.Make(data, file, now, options.Passphrase, isGentle: true, stop: stop);
        return file;
    }

    /// <summary>Deletes those that were made at these moments.</summary>
    public void Delete(IEnumerable<DateTimeOffset> obsolete)
    {
        foreach (var moment in obsolete)
            File.Delete(PathOf(moment));
    }

    /// <summary>A program that is killed while it makes a backup leaves its parts behind.</summary>
    private void DeleteUnfinished()
    {
        foreach (var part in Directory.EnumerateFiles(options.Folder!, $"{Begin}*{End}{Backup.Partial}*"))
            File.Delete(part);
    }

    private string PathOf(DateTimeOffset moment) =>
        Path.Combine(options.Folder!, Begin + moment.UtcDateTime.ToString(Moment, CultureInfo.InvariantCulture) + End);

    private static DateTimeOffset? ReadMoment(string name) =>
        DateTimeOffset.TryParseExact(
            name[Begin.Length..^End.Length],
            Moment,
            CultureInfo.InvariantCulture,
            DateTimeStyles.AssumeUniversal,
            out var moment
        )
            ? moment
            : null;

    /// <summary>A backup must not be what fills the disk: visitors need it more.</summary>
    private void CheckRoom(DataPaths data)
    {
        const long spare = 256 << 20;
        var needed = 2 * new FileInfo(data.DataFile).Length + spare;
        var free = new DriveInfo(options.Folder!).AvailableFreeSpace;
        if (free < needed)
            throw new StoreException(
                $"{options.Folder} has {free / 1e6:0} MB free; a backup needs {needed / 1e6:0} MB while it is made."
            );
    }
}
