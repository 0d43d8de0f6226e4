using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>What room the data takes and is going to take.</summary>
/// <param name="Data">The data file, in bytes.</param>
/// <param name="Log">The write-ahead log beside it, in bytes.</param>
/// <param name="Free">What is free on its disk, in bytes.</param>
/// <param name="Events">How many events there are.</param>
/// <param name="EventsPerDay">How many came a day in the last seven days.</param>
/// <param name="Version">How many migrations the data file has.</param>
public sealed record DataSize(long Data, long Log, long Free, long Events, double EventsPerDay, long Version)
{
    /// <summary>Bytes a day, by what an event has taken so far; 0 while nobody comes.</summary>
    public double GrowthPerDay => Events == 0 ? 0 : EventsPerDay * Data / Events;

    /// <summary>In how many days the disk is full at that pace; null where it does not fill.</summary>
    public double? DaysUntilFull => GrowthPerDay > 0 ? Free / GrowthPerDay : null;
}

/// <summary>Measures the data file and its disk.</summary>
public sealed class SizeStore(Database database, DataFolder folder, TimeProvider time)
{
    private const int Days = 7;

    /// <summary>What is free on the disk of the data file, in bytes.</summary>
    public long Free => new DriveInfo(folder.Path).AvailableFreeSpace;

    /// <summary>Measures; a handful of rows is read, however many there are.</summary>
    public DataSize Read()
    {
        var since = time.GetUtcNow().AddDays(-Days).ToUnixTimeMilliseconds();
        var (events, before, version) = database.Read(c =>
        {
            var last = c.Number("SELECT max(seq) FROM events") ?? 0;
            using var at = new PreparedStatement(c, "SELECT at FROM events WHERE seq >= ?1 ORDER BY seq LIMIT 1");
            // Events lie in the order in which they came.
            var (low, high) = (1L, last + 1);
            while (low < high)
            {
                var middle = (low + high) / 2;
                var isEarlier = at.Bind(1, middle).Next() && at.Number(0) < since;
                at.Reset();
                (low, high) = isEarlier ? (middle + 1, high) : (low, middle);
            }
            return (last, low - 1, c.Number("SELECT count(*) FROM SchemaVersions") ?? 0);
        });
        var log = new FileInfo(folder.DataFile + "-wal");
        return new(
            new FileInfo(folder.DataFile).Length,
            log.Exists ? log.Length : 0,
            Free,
            events,
            (double)(events - before) / Days,
            version
        );
    }
}
