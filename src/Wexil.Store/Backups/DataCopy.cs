using System.Diagnostics;
using Microsoft.Data.Sqlite;
using SQLitePCL;

namespace Wexil.Store.Backups;

/// <summary>Copies a data file that may be in use, as it is at one moment.</summary>
/// <remarks>SQLite's online backup (sqlite.org/backup.html), within one view of the data: visitors' writes meanwhile
/// neither wait for it nor make it begin again.</remarks>
public static class DataCopy
{
    private const int PagesAStep = 2000,
        Patience = 10;

    /// <summary>Makes the copy and reads it through; nothing is left of one that fails.</summary>
    /// <param name="to">Its path; whatever is there is replaced.</param>
    /// <param name="progress">Is told the share that is done, from 0 to 1; null for nobody.</param>
    /// <param name="isGentle">Rests as long as it works, so that others get at the disk.</param>
    /// <exception cref="StoreException">The data file cannot be read, or there is no room.</exception>
    public static void Make(
        string from,
        string to,
        Action<double>? progress = null,
        bool isGentle = false,
        CancellationToken stop = default
    )
    {
        Delete(to);
        try
        {
            // Others on the machine are not to read it while it is made either.
            using (Created(to)) { }
            using (var source = Connect(from))
            using (var target = Connect(to))
                Copy(source, target, progress, isGentle, stop);
            Check(to);
        }
        catch (SqliteException error)
        {
            Delete(to);
            throw new StoreException($"{from} cannot be copied to {to}: {error.Message}", error);
        }
        catch (Exception error) when (error is OperationCanceledException or StoreException)
        {
            Delete(to);
            throw;
        }
    }

    /// <summary>Reads a file through, page by page.</summary>
    /// <exception cref="StoreException">It is damaged, or no data file.</exception>
    public static void Check(string file)
    {
        try
        {
            using var connection = Connect(file);
            var said = connection.Text("PRAGMA quick_check(1)");
            if (said != "ok")
                throw new StoreException($"{file} is damaged: {said}");
        }
        catch (SqliteException error)
        {
            throw new StoreException($"{file} is damaged or no data file: {error.Message}", error);
        }
    }

    /// <summary>A new file that only its owner can read.</summary>
    internal static FileStream Created(string path) =>
        new(
            path,
            new FileStreamOptions
            {
                Mode = FileMode.CreateNew,
                Access = FileAccess.Write,
                UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite,
            }
        );

    private static void Copy(
        SqliteConnection source,
        SqliteConnection target,
        Action<double>? progress,
        bool isGentle,
        CancellationToken stop
    )
    {
        source.Execute("PRAGMA query_only=1");
        using var view = source.BeginTransaction(deferred: true);
        // The first read fixes the moment.
        source.Number("SELECT count(*) FROM sqlite_schema");
        using var backup = raw.sqlite3_backup_init(target.Handle, "main", source.Handle, "main");
        int result;
        do
        {
            stop.ThrowIfCancellationRequested();
            var began = Stopwatch.GetTimestamp();
            result = raw.sqlite3_backup_step(backup, PagesAStep);
            var pages = Math.Max(1, raw.sqlite3_backup_pagecount(backup));
            progress?.Invoke(1 - (double)raw.sqlite3_backup_remaining(backup) / pages);
            if (isGentle)
                stop.WaitHandle.WaitOne(Stopwatch.GetElapsedTime(began));
        } while (result == raw.SQLITE_OK);
        if (result != raw.SQLITE_DONE)
            throw new SqliteException(raw.sqlite3_errstr(result).utf8_to_string(), result);
    }

    private static SqliteConnection Connect(string file) => Database.Connect(file, SqliteOpenMode.ReadWrite, Patience);

    private static void Delete(string file)
    {
        foreach (var part in new[] { file, file + "-wal", file + "-shm", file + "-journal" })
            File.Delete(part);
    }
}
