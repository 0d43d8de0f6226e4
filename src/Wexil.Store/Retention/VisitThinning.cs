using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Store.Recording;

namespace Wexil.Store.Retention;

/// <summary>What was thinned so far.</summary>
/// <param name="Until">Visits from before it are gone; null where none was thinned.</param>
/// <param name="Visitors">How many visitors' visits.</param>
/// <param name="Events">How many events.</param>
public sealed record Seal(DateTimeOffset? Until, long Visitors, long Events);

/// <summary>
/// Deletes the visits of those who came long ago and left nothing behind. Every figure stays: what they are of each
/// tally is sealed in the transaction that deletes them.
/// </summary>
public sealed class VisitThinning(Database database, Journal journal)
{
    /// <summary>Rows of one visitor each that the projections keep.</summary>
    private static readonly string[] OfAVisitor = ["visitors", "enrolments", "goals_met", "stays", "combinations"];

    /// <summary>What was thinned so far.</summary>
    public Seal Sealed => database.Read(ReadSeal);

    /// <summary>Thins visits from before a moment, some at a time, beside the visitors of today.</summary>
    /// <returns>How many events were deleted.</returns>
    public async Task<long> RunAsync(DateTimeOffset before, CancellationToken stop = default)
    {
        var moment = before.ToUnixTimeMilliseconds();
        using var connection = database.OpenBeside();
        var visits = new OldVisits(connection, moment);
        using var share = new TallyShare(connection);
        await Task.Run(() => visits.Find(stop), stop);
        var deleted = 0L;
        while (true)
        {
            visits.CatchUp(stop);
            if (visits.Next() is not { } batch)
                break;
            var (rows, scanned) = (await Task.Run(() => share.Of(batch), stop), visits.Scanned);
            if (await journal.WriteAsync(c => Delete(c, batch, rows, scanned)))
                deleted += batch.Events.Count;
        }
        await journal.WriteAsync(c => c.Execute("UPDATE seal SET until = max(until, $1)", moment));
        journal.EmptyLog();
        return deleted;
    }

    internal static Seal ReadSeal(SqliteConnection c) =>
        c.Rows("SELECT until, visitors, events FROM seal", row => new Seal(
            row.GetInt64(0) == 0 ? null : row.Time(0),
            row.GetInt64(1),
            row.GetInt64(2)
        ))[0];

    /// <returns>False where one of them has come again meanwhile: then they all stay until the next run.</returns>
    private static bool Delete(
        SqliteConnection c,
        OldBatch batch,
        IReadOnlyList<(string Tally, List<object[]> Rows)> shares,
        long scanned
    )
    {
        var going = batch.Visitors.Select(visitor => new Guid(visitor, bigEndian: true)).ToHashSet();
        if (Since(c, scanned).Overlaps(going))
            return false;
        foreach (var (tally, rows) in shares)
            SealedTallies.Add(c, tally, rows);
        foreach (var table in OfAVisitor)
        {
            using var delete = new PreparedStatement(c, $"DELETE FROM {table} WHERE visitor = ?1");
            foreach (var visitor in going)
                delete.Bind(1, visitor).Run();
        }
        using var clicks = new PreparedStatement(
            c,
            "UPDATE ad_clicks SET sealed = 1, visitor = zeroblob(16) WHERE visitor = ?1"
        );
        foreach (var visitor in going)
            clicks.Bind(1, visitor).Run();
        using var events = new PreparedStatement(c, "DELETE FROM events WHERE seq = ?1");
        foreach (var number in batch.Events)
            events.Bind(1, number).Run();
        c.Execute(
            "UPDATE seal SET visitors = visitors + $1, events = events + $2",
            batch.Visitors.Count,
            batch.Events.Count
        );
        return true;
    }

    private static HashSet<Guid> Since(SqliteConnection c, long scanned)
    {
        using var events = new PreparedStatement(c, "SELECT visitor FROM events WHERE seq > ?1");
        events.Bind(1, scanned);
        var visitors = new HashSet<Guid>();
        while (events.Next())
            visitors.Add(events.Id(0));
        return visitors;
    }
}
