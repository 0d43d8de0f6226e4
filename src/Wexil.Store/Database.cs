using System.Collections.Concurrent;
using DbUp;
using Microsoft.Data.Sqlite;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store.Backups;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>
/// The SQLite file: brought up to date when opened, read through pooled connections that cannot write. Writing is the
/// <see cref="Journal"/>'s alone.
/// </summary>
public sealed class Database : IDisposable
{
    private static readonly string[] Scripts =
    [
        .. typeof(Database)
            .Assembly.GetManifestResourceNames()
            .Where(name => name.EndsWith(".sql", StringComparison.Ordinal))
            .Order(),
    ];

    /// <summary>For how many seconds a busy file is retried: visitors are not kept waiting longer.</summary>
    private const int Patience = 1;

    private readonly string _file;
    private readonly Action<string>? _traced;
    private readonly ConcurrentBag<Reader> _idle = [];

    private Database(string file, Action<string>? traced, int lostCommits) =>
        (_file, _traced, LostCommits) = (file, traced, lostCommits);

    /// <summary>
    /// How many of the last writes before the start could not be read, because the write-ahead log was damaged.
    /// </summary>
    public int LostCommits { get; }

    static Database()
    {
        // A connection is never used by two threads at once, so SQLite need not lock it at every call.
        SQLitePCL.Batteries_V2.Init();
        SQLitePCL.raw.sqlite3_config(SQLitePCL.raw.SQLITE_CONFIG_MULTITHREAD);
    }

    /// <exception cref="StoreException">The file is newer than this program, or no data file of Wexil, or cannot be
    /// opened.</exception>
    /// <param name="traced">Is told every statement as it runs, with its values; null for nobody.</param>
    public static Database Open(DataFolder folder, Action<string>? traced = null)
    {
        folder.CheckDataIsThere();
        folder.CheckDataIsWhole();
        var lostCommits = LogDamage.LostCommits(folder.DataFile + "-wal");
        try
        {
            Migrate(folder);
            folder.TakeReserve();
            Probe(folder.DataFile);
        }
        catch (SqliteException error) when (IsFull(error) && File.Exists(folder.ReserveFile))
        {
            // A full disk leaves no room even for the files that reading needs: give up the room kept for this.
            File.Delete(folder.ReserveFile);
            Migrate(folder);
        }
        catch (SqliteException error)
        {
            throw new StoreException($"The data file {folder.DataFile} cannot be opened: {error.Message}", error);
        }
        return new(folder.DataFile, traced, lostCommits);
    }

    /// <summary>
    /// Reads a row of each table, and the newest events: damage to a file shows at its end first. Reading all of it
    /// would take minutes, which is what wexil check is for.
    /// </summary>
    private static void Probe(string file)
    {
        using var connection = Connect(file);
        var tables = connection.Rows("SELECT name FROM sqlite_schema WHERE type = 'table'", row => row.GetString(0));
        foreach (var table in tables)
            connection.Number($"SELECT count(*) FROM (SELECT * FROM \"{table}\" LIMIT 1)");
        connection.Number("SELECT sum(length(data)) FROM (SELECT data FROM events ORDER BY seq DESC LIMIT 1000)");
    }

    /// <summary>Reads in one consistent view of the data.</summary>
    public T Read<T>(Func<SqliteConnection, T> read)
    {
        var reader = Borrow();
        try
        {
            using var view = reader.Connection.BeginTransaction(deferred: true);
            return read(reader.Connection);
        }
        finally
        {
            _idle.Add(reader);
        }
    }

    /// <summary>Where a visitor was put in a test; null when nowhere yet.</summary>
    public Enrolment? PlaceOf(VisitorId visitor, TestId test)
    {
        var reader = Borrow();
        try
        {
            return reader.PlaceOf(visitor, test);
        }
        finally
        {
            _idle.Add(reader);
        }
    }

    /// <summary>
    /// The visitor that a browser is here which has another id on an outside site; null when no such thing is known.
    /// </summary>
    public VisitorId? SameAs(VisitorId elsewhere)
    {
        var reader = Borrow();
        try
        {
            return reader.SameAs(elsewhere);
        }
        finally
        {
            _idle.Add(reader);
        }
    }

    /// <summary>The funnels that a visitor has been in, the one that they were in last first.</summary>
    public IReadOnlyList<FunnelId> FunnelsOf(VisitorId visitor) =>
        Read(c =>
            c.Rows(
                "SELECT funnel_id FROM visitors WHERE visitor = $1 ORDER BY last_at DESC, funnel_id",
                row => new FunnelId(row.GetInt64(0)),
                visitor.Value.ToByteArray(bigEndian: true)
            )
        );

    /// <inheritdoc/>
    public void Dispose()
    {
        while (_idle.TryTake(out var reader))
            reader.Dispose();
    }

    /// <summary>A connection for housekeeping, which its caller owns.</summary>
    internal SqliteConnection OpenHousekeeper() => Connect(_file);

    /// <summary>
    /// A database in memory, which its caller owns, and beside which the data file can be read as <c>whole</c>.
    /// </summary>
    internal SqliteConnection OpenBeside()
    {
        // By the name of a private database in memory, SQLite also takes addresses of files that must not be written.
        var connection = new SqliteConnection("Data Source=file:beside?mode=memory;Pooling=false");
        connection.Open();
        connection.Execute("ATTACH $1 AS whole", new Uri(Path.GetFullPath(_file)).AbsoluteUri + "?mode=ro");
        return connection;
    }

    private SqliteConnection ConnectTraced()
    {
        var connection = Connect(_file);
        if (_traced is not null)
            SQLitePCL.raw.sqlite3_trace(connection.Handle, (_, statement) => _traced(statement), null);
        // The library retries its own commands, but not statements that are prepared on SQLite's interface.
        _ = SQLitePCL.raw.sqlite3_busy_timeout(connection.Handle, Patience * 1_000);
        return connection;
    }

    /// <summary>The connection that writes; there is one, and its caller owns it.</summary>
    internal SqliteConnection OpenWriter(JournalOptions options)
    {
        var connection = ConnectTraced();
        connection.Execute(
            $"PRAGMA synchronous={(options.SurvivePowerLoss ? "FULL" : "NORMAL")}; PRAGMA "
                + "wal_autocheckpoint=100000; PRAGMA cache_size=-65536; "
                // What is deleted is written over, or a removed person could still be read in the file.
                + "PRAGMA secure_delete=ON"
        );
        // Whoever reads the log while it is being written to takes the writer's lock for a moment, to read it again.
        _ = SQLitePCL.raw.sqlite3_busy_timeout(connection.Handle, (int)options.LockPatience.TotalMilliseconds);
        return connection;
    }

    private static bool IsFull(SqliteException error) =>
        error.SqliteErrorCode
            is SQLitePCL.raw.SQLITE_FULL
                or SQLitePCL.raw.SQLITE_IOERR
                or SQLitePCL.raw.SQLITE_CANTOPEN;

    private Reader Borrow() => _idle.TryTake(out var reader) ? reader : new Reader(ConnectTraced());

    /// <summary>A connection that its caller owns.</summary>
    /// <param name="patience">For how many seconds a busy file is retried.</param>
    internal static SqliteConnection Connect(
        string file,
        SqliteOpenMode mode = SqliteOpenMode.ReadWriteCreate,
        int patience = Patience
    )
    {
        var connection = new SqliteConnection(
            new SqliteConnectionStringBuilder
            {
                DataSource = file,
                Pooling = false,
                DefaultTimeout = patience,
                Mode = mode,
                ForeignKeys = true,
            }.ToString()
        );
        connection.Open();
        return connection;
    }

    /// <summary>How many migrations a data file has.</summary>
    internal static long VersionOf(string file)
    {
        using var connection = Connect(file);
        return Applied(connection).Count;
    }

    /// <exception cref="StoreException">The file was written by a newer program, or is no data file.</exception>
    internal static void CheckIsNotNewer(string file)
    {
        using var connection = Connect(file);
        CheckIsNotNewer(file, connection, Applied(connection));
    }

    private static List<string> Applied(SqliteConnection connection) =>
        connection.Number("SELECT count(*) FROM sqlite_schema WHERE name = 'SchemaVersions'") > 0
            ? connection.Rows("SELECT ScriptName FROM SchemaVersions", row => row.GetString(0))
            : [];

    private static void CheckIsNotNewer(string file, SqliteConnection connection, List<string> present)
    {
        if (present.Except(Scripts).Any())
            throw new StoreException(
                $"The data file {file} was written by a newer version of Wexil. It was not changed; use the "
                    + "newer version."
            );
        if (present.Count == 0 && connection.Number("SELECT count(*) FROM sqlite_schema") > 0)
            throw new StoreException($"{file} is not a Wexil database. It was not changed.");
    }

    private static void Migrate(DataFolder folder)
    {
        var file = folder.DataFile;
        using var connection = Connect(file);
        var present = Applied(connection);
        CheckIsNotNewer(file, connection, present);
        if (present.Count == Scripts.Length)
            return;

        if (present.Count > 0)
            SafetyCopy.Take(folder, present.Count);
        if (connection.Text("PRAGMA journal_mode=WAL") != "wal")
            throw new StoreException($"The data file {file} is on a disk that does not support a write-ahead log.");
        var result = DeployChanges
            .To.SqliteDatabase(connection.ConnectionString)
            .WithScriptsEmbeddedInAssembly(typeof(Database).Assembly)
            .WithTransactionPerScript()
            .WithVariablesDisabled()
            .LogToNowhere()
            .Build()
            .PerformUpgrade();
        if (!result.Successful)
            throw new StoreException(
                $"The data file {file} could not be upgraded: {result.Error.Message}",
                result.Error
            );
    }

    private sealed class Reader : IDisposable
    {
        private readonly PreparedStatement _place,
            _same;

        public Reader(SqliteConnection connection)
        {
            Connection = connection;
            connection.Execute("PRAGMA query_only=1");
            // SQLite's own lower() knows the letters of English only.
            connection.CreateFunction(
                "holds",
                (string? text, string part) => text?.Contains(part, StringComparison.OrdinalIgnoreCase) ?? false,
                isDeterministic: true
            );
            _place = new(connection, "SELECT page_id, phase_id FROM enrolments WHERE visitor = ?1 AND test_id = ?2");
            _same = new(connection, "SELECT visitor FROM same_browsers WHERE id = ?1");
        }

        public SqliteConnection Connection { get; }

        public Enrolment? PlaceOf(VisitorId visitor, TestId test)
        {
            if (!_place.Bind(1, visitor.Value).Bind(2, test.Value).Next())
                return null;
            var place = new Enrolment(new(_place.Number(0)), _place.IsNull(1) ? null : new PhaseId(_place.Number(1)));
            _place.Reset();
            return place;
        }

        public VisitorId? SameAs(VisitorId elsewhere)
        {
            if (!_same.Bind(1, elsewhere.Value).Next())
                return null;
            var visitor = new VisitorId(_same.Id(0));
            _same.Reset();
            return visitor;
        }

        public void Dispose()
        {
            _same.Dispose();
            _place.Dispose();
            Connection.Dispose();
        }
    }
}
