using System.Security.Cryptography;
using Microsoft.Data.Sqlite;
using Microsoft.Extensions.Logging.Abstractions;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Store.Backups;
using Wexil.Store.Recording;
using Wexil.Tests;

namespace Wexil.Store.Tests;

/// <summary>What is copied, sealed, restored and checked.</summary>
[Trait("For", "security")]
public sealed class BackupTests
{
    private static readonly DateTimeOffset Now = new(2026, 11, 9, 8, 0, 0, TimeSpan.Zero);

    [Theory]
    [InlineData(null)]
    [InlineData("calendula and chervil")]
    public async Task A_backup_taken_while_visitors_come_brings_back_everything_until_then(string? passphrase)
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        Directory.CreateDirectory(world.Folder.Keys);
        await File.WriteAllTextAsync(Path.Combine(world.Folder.Keys, "key-1.xml"), "<key/>");
        var recorded = 0;
        using var enough = new CancellationTokenSource();
        var load = Task.Run(async () =>
        {
            while (!enough.IsCancellationRequested)
            {
                await world.Journal.AppendAsync(world.Enrols(test, 0));
                Interlocked.Increment(ref recorded);
            }
        });
        var file = Path.Combine(TemporaryFolder.Create("backup"), "all.backup");
        await Eventually.HoldsAsync(() => Volatile.Read(ref recorded) >= 500);
        var (before, seen) = (Volatile.Read(ref recorded), new List<double>());
        Backup.Make(world.Folder, file, Now, passphrase, seen.Add);
        var after = Volatile.Read(ref recorded);
        await enough.CancelAsync();
        await load;
        Assert.Equal([file], Directory.GetFiles(Path.GetDirectoryName(file)!));
        Assert.Equal(seen.Order(), seen);
        Assert.Equal(1, seen[^1]);

        var path = TemporaryFolder.Create("restored");
        using (var folder = DataFolder.Open(path))
        {
            var (content, aside) = Restore.Run(file, folder, Now, passphrase);
            Assert.Equal(Now, content.Made);
            Assert.Null(aside);
            Assert.True(File.Exists(folder.ReserveFile));
        }
        Assert.Equal("<key/>", await File.ReadAllTextAsync(Path.Combine(path, "keys", "key-1.xml")));
        using var again = new World(path);
        await again.Journal.WhenProjectedAsync();
        Assert.InRange(again.Events(), before, after + 1);
        var figures = again.Tables();
        await again.Journal.RecountAsync();
        await again.Journal.WhenProjectedAsync();
        Assert.Equal(figures, again.Tables());
    }

    [Fact]
    public async Task What_waits_in_the_spill_file_is_in_the_backup_too()
    {
        using var world = new World(options: new(Patience: TimeSpan.FromMilliseconds(20)));
        var test = await world.StartTestAsync();
        using var locks = Connect(world.Folder.DataFile);
        var held = locks.BeginTransaction(deferred: false);
        Assert.Equal(Recorded.Late, await world.Journal.AppendAsync(world.Enrols(test, 0)));
        var file = Path.Combine(TemporaryFolder.Create("backup"), "all.backup");
        Backup.Make(world.Folder, file, Now);
        held.Rollback();
        Assert.Equal(1, EventsOf(file));
    }

    [Fact]
    [Trait("Pace", "slow")]
    public async Task A_sealed_backup_is_opened_by_its_passphrase_alone_and_no_byte_of_it_can_be_changed()
    {
        using var world = new World();
        await world.StartTestAsync();
        var file = Path.Combine(TemporaryFolder.Create("backup"), "all.backup");
        Backup.Make(world.Folder, file, Now, "calendula and chervil");
        var bytes = await File.ReadAllBytesAsync(file);
        Assert.DoesNotContain("Calendar", System.Text.Encoding.Latin1.GetString(bytes), StringComparison.Ordinal);
        Assert.Contains("sealed", Refused(file, null), StringComparison.Ordinal);
        Assert.Contains("passphrase", Refused(file, "calendula and chervi"), StringComparison.Ordinal);
        foreach (var at in new[] { 20, 40, bytes.Length / 2, bytes.Length - 1 })
        {
            var changed = (byte[])bytes.Clone();
            changed[at] ^= 1;
            await File.WriteAllBytesAsync(file, changed);
            Assert.NotEmpty(Refused(file, "calendula and chervil"));
        }
        foreach (var length in new[] { 0, 10, 30, bytes.Length / 2, bytes.Length - 1 })
        {
            await File.WriteAllBytesAsync(file, bytes[..length]);
            Assert.NotEmpty(Refused(file, "calendula and chervil"));
        }
    }

    [Fact]
    public void A_sealed_stream_of_any_length_opens_to_the_same_and_a_piece_cannot_move()
    {
        const int piece = (64 << 10) + 16;
        const int rounds = 1;
        foreach (var length in new[] { 0, 1, 65_535, 65_536, 65_537, 131_072, 200_000 })
        {
            var content = Bytes(length);
            var shut = Sealed(content);
            using var opened = SealedStream.Read(new MemoryStream(shut), "leeks", rounds);
            using var read = new MemoryStream();
            opened.CopyTo(read);
            Assert.Equal(content, read.ToArray());
        }
        var three = Sealed(Bytes(200_000));
        var header = three.Length - (200_000 + 4 * 16);
        byte[] swapped =
        [
            .. three[..header],
            .. three[(header + piece)..(header + 2 * piece)],
            .. three[header..(header + piece)],
            .. three[(header + 2 * piece)..],
        ];
        // Cut off behind a whole piece, it ends where no last piece is.
        foreach (var wrong in new[] { swapped, three[..(header + 2 * piece)] })
        {
            using var opened = SealedStream.Read(new MemoryStream(wrong), "leeks", rounds);
            Assert.Throws<StoreException>(() => opened.CopyTo(Stream.Null));
        }

        static byte[] Sealed(byte[] content)
        {
            using var to = new MemoryStream();
            using (var shut = SealedStream.Write(to, "leeks", rounds))
                shut.Write(content);
            return to.ToArray();
        }

        static byte[] Bytes(int length) => [.. Enumerable.Range(0, length).Select(i => (byte)(i * 31 + i / 256))];
    }

    [Fact]
    public async Task Restoring_keeps_what_was_there_and_a_backup_that_is_no_good_changes_nothing()
    {
        var path = TemporaryFolder.Create("restore");
        var file = Path.Combine(TemporaryFolder.Create("backup"), "all.backup");
        using (var world = new World(path))
        {
            await world.StartTestAsync();
            Backup.Make(world.Folder, file, Now);
            await world.Funnels.CreateAsync("Made after the backup");
            Assert.Contains("in use", Assert.Throws<StoreException>(() => DataFolder.Open(path)).Message);
        }
        var damaged = file + ".damaged";
        var bytes = await File.ReadAllBytesAsync(file);
        // A bit in the middle may change nothing: of a run of zeros, each place is a copy of any other.
        var cut = file + ".cut";
        await File.WriteAllBytesAsync(cut, bytes[..^1000]);
        bytes[^6] ^= 0x40;
        await File.WriteAllBytesAsync(damaged, bytes);
        var newer = file + ".newer";
        MakeNewer(file, newer);
        using (var folder = DataFolder.Open(path))
        {
            var before = Files(path);
            foreach (var bad in new[] { damaged, cut, newer, folder.DataFile, file + ".missing" })
                Assert.Throws<StoreException>(() => Restore.Run(bad, folder, Now, null));
            Assert.Equal(before, Files(path));
            var (_, aside) = Restore.Run(file, folder, Now, null);
            Assert.True(File.Exists(Path.Combine(aside!, "wexil.db")));
        }
        using var again = new World(path);
        Assert.DoesNotContain(again.Funnels.All(), funnel => funnel.Name == "Made after the backup");
        Assert.Single(again.Tests.Open());
    }

    [Fact]
    public async Task A_backup_replaces_no_file_and_leaves_none_where_it_fails()
    {
        using var world = new World();
        await world.StartTestAsync();
        var folder = TemporaryFolder.Create("backup");
        var file = Path.Combine(folder, "all.backup");
        await File.WriteAllTextAsync(file, "A letter.");
        Assert.Contains("already", Assert.Throws<StoreException>(() => Backup.Make(world.Folder, file, Now)).Message);
        Assert.Equal("A letter.", await File.ReadAllTextAsync(file));
        var nowhere = Path.Combine(folder, "no such folder", "all.backup");
        Assert.Throws<StoreException>(() => Backup.Make(world.Folder, nowhere, Now));
        using var stopped = new CancellationTokenSource();
        await stopped.CancelAsync();
        Assert.Throws<OperationCanceledException>(() =>
            Backup.Make(world.Folder, file + "2", Now, stop: stopped.Token)
        );
        Assert.Equal([file], Directory.GetFiles(folder));
    }

    [Fact]
    public async Task A_data_file_that_went_missing_or_was_emptied_is_not_begun_anew()
    {
        var path = TemporaryFolder.Create("missing");
        using (var world = new World(path))
            await world.StartTestAsync();
        var file = Path.Combine(path, "wexil.db");
        File.WriteAllBytes(file, []);
        Assert.Contains("empty", Assert.Throws<StoreException>(Start).Message, StringComparison.Ordinal);
        Assert.Equal(0, new FileInfo(file).Length);
        File.Delete(file);
        Assert.Contains("missing", Assert.Throws<StoreException>(Start).Message, StringComparison.Ordinal);
        Assert.False(File.Exists(file));

        void Start()
        {
            using var folder = DataFolder.Open(path);
            Database.Open(folder).Dispose();
        }
    }

    [Fact]
    public async Task Nobody_else_on_the_machine_reads_the_folder_or_a_backup()
    {
        using var world = new World();
        await world.StartTestAsync();
        var file = Path.Combine(TemporaryFolder.Create("backup"), "all.backup");
        Backup.Make(world.Folder, file, Now);
        const UnixFileMode others =
            UnixFileMode.GroupRead
            | UnixFileMode.GroupWrite
            | UnixFileMode.GroupExecute
            | UnixFileMode.OtherRead
            | UnixFileMode.OtherWrite
            | UnixFileMode.OtherExecute;
        Assert.Equal((UnixFileMode)0, File.GetUnixFileMode(world.Path) & others);
        Assert.Equal((UnixFileMode)0, File.GetUnixFileMode(file) & others);
        // A folder of somebody else's that was named by mistake stays as it was.
        var theirs = TemporaryFolder.Create("theirs");
        await File.WriteAllTextAsync(Path.Combine(theirs, "letter.txt"), "Dear Ann,");
        var rights = File.GetUnixFileMode(theirs);
        using (DataFolder.Open(theirs))
            Assert.Equal(rights, File.GetUnixFileMode(theirs));
    }

    [Fact]
    public async Task A_check_finds_nothing_in_sound_data_and_names_what_is_wrong()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        for (var i = 0; i < 40; i++)
        {
            var comes = world.Enrols(test, i % 2);
            await world.Journal.AppendAsync(comes);
            await world.Journal.AppendAsync(world.Reaches(test, comes.Visitor));
        }
        await world.Journal.WhenProjectedAsync();
        Assert.Empty(await CheckAsync(world));
        // Another time zone, where it was another weekday, makes no figure wrong.
        await new SettingStore(world.Database, world.Journal).SetZoneAsync(
            TimeZoneInfo.FindSystemTimeZoneById("Pacific/Honolulu")
        );
        Assert.Empty(await CheckAsync(world));

        await world.Journal.WriteAsync(c => c.Execute("UPDATE test_tallies SET conversions = conversions + 1"));
        Assert.Contains("test_tallies", Assert.Single(await CheckAsync(world)), StringComparison.Ordinal);
        await world.Journal.RecountAsync();
        await world.Journal.WhenProjectedAsync();
        Assert.Empty(await CheckAsync(world));

        await world.Journal.WriteAsync(c => c.Execute("UPDATE assets SET content = x'00'"));
        Assert.Contains("files of pages", Assert.Single(await CheckAsync(world)), StringComparison.Ordinal);
        using (var direct = Connect(world.Folder.DataFile))
            direct.Execute("PRAGMA foreign_keys=0; DELETE FROM assets");
        Assert.Contains(
            "rows of assets that are gone",
            Assert.Single(await CheckAsync(world)),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task The_log_gives_its_room_back_once_nobody_writes_and_not_while_visitors_would_wait_for_it()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var log = new FileInfo(world.Folder.DataFile + "-wal");
        using (var reader = Connect(world.Folder.DataFile))
        {
            // As long as somebody reads an old state, the log can only grow.
            using var view = reader.BeginTransaction(deferred: true);
            reader.Number("SELECT count(*) FROM events");
            for (var i = 0; i < 20; i++)
                await WriteAsync(world, 5_000_000);
            log.Refresh();
            Assert.True(log.Length > 90e6, $"{log.Length}");
        }
        var whole = log.Length;
        using var checkpointer = new Checkpointer(world.Database.OpenHousekeeper(), NullLogger.Instance);
        for (var turn = 1; turn < 3 * Checkpointer.IdleTurns; turn++)
        {
            await world.Journal.AppendAsync(world.Enrols(test, 0));
            // As many pages each time.
            await WriteAsync(world, 20_000);
            checkpointer.Turn();
        }
        log.Refresh();
        Assert.InRange(log.Length, whole, long.MaxValue);
        await world.Journal.WhenProjectedAsync();
        // Its own turns end with it.
        world.Journal.Dispose();
        for (var turn = 0; turn <= Checkpointer.IdleTurns; turn++)
            checkpointer.Turn();
        log.Refresh();
        Assert.InRange(log.Length, 0, 65 << 20);
    }

    private static Task WriteAsync(World world, int bytes) =>
        world.Journal.WriteAsync(c =>
            c.Execute(
                "INSERT INTO assets (hash, content) VALUES ($1, zeroblob($2))",
                RandomNumberGenerator.GetBytes(32),
                bytes
            )
        );

    private static async Task<IReadOnlyList<string>> CheckAsync(World world) =>
        await DataCheck.RunAsync(world.Folder, TemporaryFolder.Create("check"), (_, _) => { });

    private static string Refused(string file, string? passphrase)
    {
        using var folder = DataFolder.Open(TemporaryFolder.Create("refused"));
        return Assert.Throws<StoreException>(() => Restore.Run(file, folder, Now, passphrase)).Message;
    }

    private static long EventsOf(string backup)
    {
        var path = TemporaryFolder.Create("restored");
        using (var folder = DataFolder.Open(path))
            Restore.Run(backup, folder, Now, null);
        using var again = new World(path);
        again.Journal.WhenProjectedAsync().GetAwaiter().GetResult();
        return again.Events();
    }

    private static void MakeNewer(string file, string newer)
    {
        var path = TemporaryFolder.Create("newer");
        using (var folder = DataFolder.Open(path))
            Restore.Run(file, folder, Now, null);
        using (var data = Connect(Path.Combine(path, "wexil.db")))
            data.Execute("INSERT INTO SchemaVersions (ScriptName, Applied) VALUES ('9999-later.sql', '2030-01-01')");
        Backup.Make(new DataPaths(path), newer, Now);
    }

    private static string[] Files(string path) =>
        [
            .. Directory
                .GetFiles(path, "*", SearchOption.AllDirectories)
                .Where(file => Path.GetFileName(file) != "in-use")
                .Order(StringComparer.Ordinal)
                .Select(file => $"{file} {Convert.ToHexString(SHA256.HashData(File.ReadAllBytes(file)))}"),
        ];

    private static SqliteConnection Connect(string file)
    {
        var connection = new SqliteConnection($"Data Source={file};Pooling=false");
        connection.Open();
        return connection;
    }
}
