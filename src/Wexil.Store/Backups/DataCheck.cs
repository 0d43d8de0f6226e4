using System.Security.Cryptography;
using Microsoft.Data.Sqlite;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store.Backups;

/// <summary>
/// Whether a data file is sound: its pages, what its rows refer to, the files of pages, and every figure against the
/// events it was counted from. It works on a copy, so that the program may run meanwhile.
/// </summary>
public static class DataCheck
{
    private const int MaxFindings = 20;
    private static readonly TimeSpan Look = TimeSpan.FromMilliseconds(200);

    /// <summary>Runs all checks.</summary>
    /// <param name="working">An empty folder with room for a copy; what is in it afterwards may be deleted.</param>
    /// <param name="progress">Is told what is being done and which share of it is, from 0 to 1.</param>
    /// <returns>What is wrong, a sentence each; empty where nothing is.</returns>
    /// <exception cref="StoreException">The data file cannot be read at all.</exception>
    public static async Task<IReadOnlyList<string>> RunAsync(
        DataPaths data,
        string working,
        Action<string, double> progress
    )
    {
        using var folder = DataFolder.Open(working);
        DataCopy.Make(data.DataFile, folder.DataFile, share => progress("Copying the data file", share));
        using var database = Database.Open(folder);
        var findings = database.Read(c => Structure(c, progress).ToList());
        // Damaged pages make every figure doubtful; counting again would only say so at length.
        if (findings.Count == 0)
            findings.AddRange(await FiguresAsync(database, folder, progress));
        return findings;
    }

    private static IEnumerable<string> Structure(SqliteConnection c, Action<string, double> progress)
    {
        progress("Reading every page of the file", 0);
        foreach (var said in c.Rows($"PRAGMA integrity_check({MaxFindings})", row => row.GetString(0)))
            if (said != "ok")
                yield return $"The data file is damaged: {said}.";
        progress("Reading every page of the file", 1);
        var orphans = c.Rows("PRAGMA foreign_key_check", row => (From: row.GetString(0), To: row.GetString(2)))
            .GroupBy(orphan => orphan)
            .Take(MaxFindings);
        foreach (var orphan in orphans)
            yield return $"{orphan.Count()} rows of {orphan.Key.From} refer to rows of {orphan.Key.To} that are gone.";
        var assets = c.Number("SELECT count(*) FROM assets") ?? 0;
        var (seen, damaged) = (0L, 0);
        using var command = c.Command("SELECT hash, content FROM assets");
        using var rows = command.ExecuteReader();
        while (rows.Read())
        {
            progress("Reading the files of pages", (double)++seen / assets);
            if (!SHA256.HashData((byte[])rows.GetValue(1)).AsSpan().SequenceEqual((byte[])rows.GetValue(0)))
                damaged++;
        }
        if (damaged > 0)
            yield return $"{damaged} files of pages are not what was uploaded.";
    }

    private static async Task<IReadOnlyList<string>> FiguresAsync(
        Database database,
        DataFolder folder,
        Action<string, double> progress
    )
    {
        using var journal = new Journal(database, folder.SpillFile);
        await journal.WhenProjectedAsync();
        var before = Sums(database);
        await journal.RecountAsync();
        var counted = journal.WhenProjectedAsync();
        while (await Task.WhenAny(counted, Task.Delay(Look)) != counted)
            progress("Counting every event again", Counted(database));
        progress("Counting every event again", 1);
        var after = Sums(database);
        return
        [
            .. ProjectedTables
                .All.Where(table => before[table] != after[table])
                .Select(table =>
                    $"The figures in {table} ({before[table].Rows} rows) differ from the events "
                    + $"({after[table].Rows} rows when they are counted again)."
                ),
        ];
    }

    private static double Counted(Database database) =>
        database.Read(c =>
            (double)(c.Number("SELECT mark FROM projection") ?? 0)
            / Math.Max(1, c.Number("SELECT max(seq) FROM events") ?? 0)
        );

    /// <summary>
    /// What of a table follows from the events alone. A visit's weekday is that of the owner's time zone when the visit
    /// was counted, which may be another by now.
    /// </summary>
    private static string RowsOf(string table) =>
        table switch
        {
            "enrolments" => $"""
                SELECT visitor, test_id, page_id, phase_id, at, converted_at, closed, apart, path,
                  traits & ~{VisitorTraits.WeekdayBits}
                FROM enrolments
                """,
            "segment_tallies" => $"""
                SELECT test_id, kind, CASE kind WHEN {VisitorTraits.Together}
                    THEN value & ~{VisitorTraits.WeekdayBits} ELSE value END, phase_id, page_id,
                  sum(visitors), sum(conversions), sum(earned), CAST(round(sum(squares)) AS INTEGER)
                FROM segment_tallies
                GROUP BY 1, 2, 3, 4, 5
                """,
            // Only open tests are asked whether they have fallen silent.
            "test_silences" => """
                SELECT s.*
                FROM test_silences s JOIN tests t ON t.id = s.test_id
                WHERE t.decided_at IS NULL
                """,
            _ => $"SELECT * FROM {table}",
        };

    /// <summary>What tables hold, whatever the order of their rows.</summary>
    private static Dictionary<string, (long Rows, ulong Sum)> Sums(Database database) =>
        database.Read(c => ProjectedTables.All.ToDictionary(table => table, table => Sum(c, table)));

    private static (long Rows, ulong Sum) Sum(SqliteConnection c, string table)
    {
        using var command = c.Command(RowsOf(table));
        using var row = command.ExecuteReader();
        var (count, sum) = (0L, 0UL);
        while (row.Read())
        {
            var hash = new HashCode();
            for (var i = 0; i < row.FieldCount; i++)
                if (row.GetValue(i) is byte[] bytes)
                    hash.AddBytes(bytes);
                else
                    hash.Add(row.GetValue(i));
            count++;
            sum = unchecked(sum + (uint)hash.ToHashCode());
        }
        return (count, sum);
    }
}
