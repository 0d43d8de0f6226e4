using Microsoft.Data.Sqlite;
using Wexil.Store.Recording;
using Wexil.Store.Retention;

namespace Wexil.Store;

/// <summary>What room the data takes and is going to take.</summary>
/// <param name="Data">The data file, in bytes.</param>
/// <param name="Unused">What of the data file is free to be written to again, in bytes.</param>
/// <param name="Log">The write-ahead log beside it, in bytes.</param>
/// <param name="Free">What is free on its disk, in bytes.</param>
/// <param name="Events">How many events were recorded.</param>
/// <param name="EventsPerDay">How many came a day in the last seven days.</param>
/// <param name="Sealed">What of them is deleted since.</param>
/// <param name="KeptDays">For how many days a visit is kept; null forever.</param>
/// <param name="Version">How many migrations the data file has.</param>
public sealed record DataSize(
    long Data,
    long Unused,
    long Log,
    long Free,
    long Events,
    double EventsPerDay,
    Seal Sealed,
    double? KeptDays,
    long Version
)
{
    /// <summary>What an event takes, in bytes, with all that is counted from it.</summary>
    private double PerEvent => (double)(Data - Unused) / Math.Max(1, Events - Sealed.Events);

    /// <summary>Bytes a day, by what an event has taken so far; 0 while nobody comes.</summary>
    public double GrowthPerDay => EventsPerDay * PerEvent;

    /// <summary>In how many days the disk is full at that pace; null where it does not fill.</summary>
    public double? DaysUntilFull
    {
        get
        {
            if (GrowthPerDay <= 0)
                return null;
            var days = (Free + Unused) / GrowthPerDay;
            // Once as many visits go as come, the file stays as it is.
            return KeptDays is { } kept && kept * GrowthPerDay <= Data + Free ? null : days;
        }
    }
}

/// <summary>Measures the data file and its disk.</summary>
public sealed class SizeStore(Database database, DataFolder folder, SettingStore settings, TimeProvider time)
{
    private const int Days = 7;

    /// <summary>What is free on the disk of the data file, in bytes.</summary>
    public long Free => new DriveInfo(folder.Path).AvailableFreeSpace;

    /// <summary>How many events that are still there came before a moment.</summary>
    public long EventsBefore(DateTimeOffset moment) =>
        database.Read(c =>
            Math.Max(0, LastBefore(c, moment.ToUnixTimeMilliseconds()) - VisitThinning.ReadSeal(c).Events)
        );

    /// <summary>Measures; a handful of rows is read, however many there are.</summary>
    public DataSize Read()
    {
        var now = time.GetUtcNow();
        var since = now.AddDays(-Days).ToUnixTimeMilliseconds();
        var log = new FileInfo(folder.DataFile + "-wal");
        return database.Read(c =>
        {
            var events = c.Number("SELECT max(seq) FROM events") ?? 0;
            return new DataSize(
                new FileInfo(folder.DataFile).Length,
                (c.Number("PRAGMA freelist_count") ?? 0) * (c.Number("PRAGMA page_size") ?? 0),
                log.Exists ? log.Length : 0,
                Free,
                events,
                (double)(events - LastBefore(c, since)) / Days,
                VisitThinning.ReadSeal(c),
                (now - RetentionPeriods.Before(settings.Retention.Visits, now))?.TotalDays,
                c.Number("SELECT count(*) FROM SchemaVersions") ?? 0
            );
        });
    }

    /// <summary>The number of the last event before a moment; events lie in the order in which they came.</summary>
    private static long LastBefore(SqliteConnection c, long moment)
    {
        using var at = new PreparedStatement(c, "SELECT at FROM events WHERE seq >= ?1 ORDER BY seq LIMIT 1");
        var (low, high) = (1L, (c.Number("SELECT max(seq) FROM events") ?? 0) + 1);
        while (low < high)
        {
            var middle = (low + high) / 2;
            var isEarlier = at.Bind(1, middle).Next() && at.Number(0) < moment;
            at.Reset();
            (low, high) = isEarlier ? (middle + 1, high) : (low, middle);
        }
        return low - 1;
    }
}
