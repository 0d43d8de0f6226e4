using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;
using Wexil.Tests;

namespace Wexil.Store.Tests;

public sealed class DatabaseTests
{
    [Fact]
    public async Task What_was_made_is_there_at_the_next_start()
    {
        var path = TemporaryFolder.Create("db");
        SplitTest test;
        using (var world = new World(path))
            test = await world.StartTestAsync();
        using var again = new World(path);
        Assert.Equal(test.Weights, again.Tests.Open().Single().Weights);
        Assert.Equal(test.Pages, again.Tests.Find(test.Id)!.Pages);
        Assert.Equal("First salad", again.Pages.Find(test.Pages[1])!.Name);
        Assert.Equal(test.Pages[0], again.Pages.Find(test.Pages[1])!.Parent);
    }

    /// <summary>A program is killed while it writes, and the disk damages what is left.</summary>
    [Theory]
    [InlineData("nothing", 0)]
    [InlineData("a frame in the middle", 1)]
    [InlineData("the header", 1)]
    [InlineData("the last frame is torn", 0)]
    public async Task A_damaged_log_is_told_with_how_much_was_lost(string damaged, int least)
    {
        var left = TemporaryFolder.Create("left");
        using (var world = new World())
        {
            var test = await world.StartTestAsync();
            // As long as somebody reads, the log is not begun anew.
            using var reader = Database.Connect(world.Folder.DataFile);
            using var view = reader.BeginTransaction(deferred: true);
            reader.Number("SELECT count(*) FROM events");
            for (var i = 0; i < 40; i++)
                await world.Journal.AppendAsync(world.Enrols(test, i % 2));
            foreach (var name in (string[])["wexil.db", "wexil.db-wal"])
                File.Copy(Path.Combine(world.Path, name), Path.Combine(left, name));
        }
        using (var log = File.Open(Path.Combine(left, "wexil.db-wal"), FileMode.Open))
        {
            // Behind its frames, a log may have those of an earlier round.
            log.SetLength(LengthOfFrames(log));
            Assert.True(log.Length > 20_000);
            if (damaged == "the last frame is torn")
                log.SetLength(log.Length - 100);
            else if (damaged != "nothing")
            {
                log.Position = damaged == "the header" ? 26 : log.Length / 2;
                var was = log.ReadByte();
                log.Position--;
                log.WriteByte((byte)(was ^ 1));
            }
        }
        using var again = new World(left);
        Assert.InRange(again.Database.LostCommits, least, least == 0 ? 0 : 1_000);
    }

    /// <summary>In bytes, with the header; all frames of a round have its salt.</summary>
    private static long LengthOfFrames(FileStream log)
    {
        const int header = 32,
            frame = 24 + 4096;
        var (first, next, length) = (new byte[header], new byte[frame], (long)header);
        log.ReadExactly(first);
        while (
            log.ReadAtLeast(next, frame, throwOnEndOfStream: false) == frame
            && next.AsSpan(8, 8).SequenceEqual(first.AsSpan(16, 8))
        )
            length += frame;
        return length;
    }

    [Fact]
    public void A_data_file_that_is_cut_off_is_refused_and_not_touched()
    {
        var path = TemporaryFolder.Create("cut");
        using (new World(path))
        {
            // Makes the file.
        }
        Sql(path, "PRAGMA wal_checkpoint(TRUNCATE)");
        var file = Path.Combine(path, "wexil.db");
        var whole = File.ReadAllBytes(file);
        using (var folder = DataFolder.Open(path))
            Database.Open(folder).Dispose();
        File.WriteAllBytes(file, whole[..^4096]);
        using (var folder = DataFolder.Open(path))
            Assert.Contains("is cut off", Assert.Throws<StoreException>(() => Database.Open(folder)).Message);
        Assert.Equal(whole.Length - 4096, new FileInfo(file).Length);
        // Of whole length, but with a page that is nothing: read, and so noticed, before anybody relies on it.
        File.WriteAllBytes(file, [.. whole[..4096], .. new byte[whole.Length - 4096]]);
        using (var folder = DataFolder.Open(path))
            Assert.Contains("malformed", Assert.Throws<StoreException>(() => Database.Open(folder)).Message);
    }

    [Theory]
    [InlineData(1, 200_000)]
    [InlineData(2, 200_000)]
    [InlineData(3, 5_000)]
    [InlineData(4, 1_000)]
    public void A_log_of_random_bytes_is_told_of_and_the_data_opens(int seed, int length)
    {
        var path = TemporaryFolder.Create("random");
        using (new World(path))
        {
            // Makes the file.
        }
        Sql(path, "PRAGMA wal_checkpoint(TRUNCATE)");
        var bytes = new byte[length];
        new Random(seed).NextBytes(bytes);
        File.WriteAllBytes(Path.Combine(path, "wexil.db-wal"), bytes);
        using var folder = DataFolder.Open(path);
        using var database = Database.Open(folder);
        Assert.Equal(1, database.LostCommits);
    }

    [Theory]
    [InlineData(0)]
    [InlineData(31)]
    [InlineData(568)]
    public void What_is_too_short_for_a_page_of_a_log_is_no_damage(int length)
    {
        var path = TemporaryFolder.Create("short");
        using (new World(path))
        {
            // Makes the file.
        }
        Sql(path, "PRAGMA wal_checkpoint(TRUNCATE)");
        File.WriteAllBytes(Path.Combine(path, "wexil.db-wal"), new byte[length]);
        using var folder = DataFolder.Open(path);
        using var database = Database.Open(folder);
        Assert.Equal(0, database.LostCommits);
    }

    [Fact]
    public void A_file_of_a_newer_program_is_refused_and_not_touched()
    {
        var path = TemporaryFolder.Create("newer");
        using (new World(path))
        {
            // Makes the file.
        }
        Sql(
            path,
            """
            INSERT INTO SchemaVersions (ScriptName, Applied)
            VALUES ('Wexil.Store.Migrations.9999-later.sql', '2030-01-01'); PRAGMA wal_checkpoint(TRUNCATE)
            """
        );
        var before = File.ReadAllBytes(Path.Combine(path, "wexil.db"));
        using var folder = DataFolder.Open(path);
        Assert.Contains("newer version of Wexil", Assert.Throws<StoreException>(() => Database.Open(folder)).Message);
        Assert.Equal(before, File.ReadAllBytes(folder.DataFile));
    }

    [Fact]
    public void Somebody_elses_file_is_refused()
    {
        var path = TemporaryFolder.Create("else");
        Sql(path, "CREATE TABLE recipes (id INTEGER)");
        using (var folder = DataFolder.Open(path))
            Assert.Contains("not a Wexil database", Assert.Throws<StoreException>(() => Database.Open(folder)).Message);
        File.WriteAllText(
            Path.Combine(path, "wexil.db"),
            "This is a letter, not a database, and long enough to look at its head."
        );
        using (var folder = DataFolder.Open(path))
            Assert.Contains("cannot be opened", Assert.Throws<StoreException>(() => Database.Open(folder)).Message);
    }

    [Fact]
    public void Two_programs_do_not_share_a_folder()
    {
        using var world = new World();
        Assert.Contains("in use", Assert.Throws<StoreException>(() => DataFolder.Open(world.Path)).Message);
    }

    [Fact]
    public async Task A_link_belongs_to_one_step_and_one_test_runs_on_it()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        Assert.Null(await world.Funnels.AddStepAsync(new(1), StepKind.Sales, "Kit", "calendar"));
        Assert.Null(
            await world.Tests.StartAsync(new(test.Step, test.Goal, "Second", "", 0.1, 0.2, test.Pages, Weights.Even(2)))
        );
    }

    [Fact]
    public async Task Every_change_of_a_running_test_starts_a_phase_and_the_table_follows()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        await world.Tests.ChangeWeightsAsync(test.Id, Weights.Create(80, 20));
        await world.Pages.PublishAsync(world.Pages.Find(test.Pages[1])!, "<h1>new", "");
        var phases = world.Tests.Phases(test.Id);
        Assert.Equal(["50/50", "80/20", "80/20"], phases.Select(phase => phase.Weights.ToString()));
        Assert.Equal([false, false, true], phases.Select(phase => phase.EndedAt is null));
        var route = world.Routes.Load().Step("calendar")!;
        Assert.Equal(phases[^1].Id, route.Test!.Phase);
        Assert.Equal(2, route.Test.Pages[1].Revision);
        Assert.Equal("inbox", route.YesSlug);
        Assert.Equal("<h1>new", world.Pages.Source(world.Pages.Find(test.Pages[1])!));
        Assert.Equal("<h1>x", world.Pages.Source(world.Pages.Find(test.Pages[0])!));
    }

    [Fact]
    public void Pages_of_the_first_version_are_there_after_the_move_with_their_sources_and_clones()
    {
        var path = TemporaryFolder.Create("old");
        const string script = "Wexil.Store.Migrations.0001-first.sql";
        using var reader = new StreamReader(typeof(Database).Assembly.GetManifestResourceStream(script)!);
        Sql(
            path,
            reader.ReadToEnd()
                + $"""
                CREATE TABLE SchemaVersions (SchemaVersionID INTEGER CONSTRAINT 'PK_SchemaVersions_SchemaVersionID'
                  PRIMARY KEY AUTOINCREMENT NOT NULL, ScriptName TEXT NOT NULL, Applied DATETIME NOT NULL);
                INSERT INTO SchemaVersions (ScriptName, Applied) VALUES ('{script}', '2026-01-01');
                INSERT INTO funnels VALUES (1, 'old', 'Old', 0);
                INSERT INTO steps VALUES (1, 1, 0, 'OptIn', 'Start', 'start', NULL);
                INSERT INTO assets VALUES (x'01', CAST('<h1>four' AS BLOB)), (x'02', CAST('h1 (x)' AS BLOB));
                INSERT INTO pages VALUES (1, 1, 'parent', 'Parent', NULL, 'index.html', NULL, 4, 0, 1000), (2, 1,
                  'clone', 'Clone', NULL, 'index.html', 1, 1, 0, 2000), (3, 1, 'out', 'Out',
                  'https://larkrow.example/', NULL, NULL, 1, 0, 0);
                INSERT INTO page_files VALUES (1, 'index.html', x'01'), (1, 'a.css', x'02'), (2, 'index.html', x'01');
                UPDATE steps SET page_id = 1;
                """
        );
        using var world = new World(path);
        var (parent, clone) = (world.Pages.Find(new(1))!, world.Pages.Find(new(2))!);
        Assert.Equal(("<h1>four", 4, false), (world.Pages.Source(parent), parent.Revision, parent.HasDraft));
        Assert.Equal(
            (4, 1),
            (world.Pages.Versions(parent.Id).Single().Number, world.Pages.Versions(clone.Id).Single().Number)
        );
        Assert.Equal((parent.Id, 4), (clone.Parent!.Value, clone.ParentVersion!.Value));
        Assert.NotNull(world.Pages.File(parent.Id, 4, "a.css"));
        Assert.Equal("out", world.Routes.Load().OutsidePage(new("https://larkrow.example/"))!.Slug);
        Assert.False(world.Funnels.Steps(new(1)).Single().IsArchived);
    }

    private static void Sql(string path, string sql)
    {
        using var connection = new SqliteConnection($"Data Source={Path.Combine(path, "wexil.db")};Pooling=false");
        connection.Open();
        using var command = connection.CreateCommand();
        command.CommandText = sql;
        command.ExecuteNonQuery();
    }

    // After a crash, the first connection locks the file until it has read the log.
    [Fact]
    public async Task A_visitor_waits_while_another_has_the_file_for_a_moment()
    {
        using var folder = DataFolder.Open(EmptyStore.Create("busy"));
        using var database = Database.Open(folder);
        var held = new SqliteConnection($"Data Source={folder.DataFile};Pooling=false");
        held.Open();
        held.Execute("PRAGMA locking_mode=EXCLUSIVE");
        held.Execute("BEGIN EXCLUSIVE");
        var read = Task.Run(() => database.PlaceOf(default, default));
        await Task.WhenAny(read, Task.Delay(TimeSpan.FromMilliseconds(200)));
        await held.DisposeAsync();
        Assert.Null(await read);
    }
}
