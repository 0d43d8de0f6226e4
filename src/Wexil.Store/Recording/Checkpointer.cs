using Microsoft.Data.Sqlite;
using Microsoft.Extensions.Logging;

namespace Wexil.Store.Recording;

/// <summary>
/// Moves the write-ahead log into the data file in the background, on a connection of its own and without blocking
/// anybody: waiting for the disk is not the writer's business, which visitors wait for. The room that a burst left in
/// the log is given back once nobody writes: that takes a tenth of a second, in which nobody could.
/// </summary>
internal sealed class Checkpointer : IDisposable
{
    /// <summary>What the log keeps of its room, to write to again; in bytes.</summary>
    private const int MaxIdleLog = 64 << 20;

    /// <summary>After so many turns without a write nobody writes.</summary>
    public const int IdleTurns = 4;

    private static readonly TimeSpan Pause = TimeSpan.FromMilliseconds(500);
    private static readonly Action<ILogger, Exception?> NotCheckpointed = LoggerMessage.Define(
        LogLevel.Warning,
        new(1, nameof(Checkpointer)),
        "The write-ahead log cannot be moved into the data file just now"
    );

    private readonly SqliteConnection _connection;
    private readonly ILogger _logger;
    private readonly ManualResetEventSlim _ended = new();
    private readonly Thread _thread;
    private volatile bool _empties;
    private long _version;
    private int _idle;

    /// <summary>Nothing is moved until it is started or a turn is asked for.</summary>
    public Checkpointer(SqliteConnection connection, ILogger logger)
    {
        (_connection, _logger) = (connection, logger);
        _thread = new(Run)
        {
            IsBackground = true,
            Name = "checkpointer",
            Priority = ThreadPriority.BelowNormal,
        };
    }

    /// <summary>Takes a turn every half second from now on.</summary>
    public void Start() => _thread.Start();

    /// <summary>Has all of the log moved, and the log itself emptied, as soon as no reader needs it.</summary>
    public void Empty() => _empties = true;

    public void Dispose()
    {
        _ended.Set();
        if (_thread.IsAlive)
            _thread.Join();
        _connection.Dispose();
        _ended.Dispose();
    }

    private void Run()
    {
        var isFailing = false;
        while (!_ended.Wait(Pause))
        {
            try
            {
                Turn();
                isFailing = false;
            }
            catch (SqliteException error)
            {
                // The journal notices by itself that the store is not well; the log waits.
                if (!isFailing)
                    NotCheckpointed(_logger, error);
                isFailing = true;
            }
        }
    }

    /// <summary>Moves what can be moved, and gives room back once nobody has written for some turns.</summary>
    public void Turn()
    {
        Move();
        if (_empties && Truncate())
            _empties = false;
    }

    private void Move()
    {
        var isMoved = _connection.Rows("PRAGMA wal_checkpoint(PASSIVE)", row => row.GetInt64(1) == row.GetInt64(2))[0];
        // Another one after each write of another connection's, however many pages it wrote.
        var version = _connection.Number("PRAGMA data_version") ?? 0;
        _idle = isMoved && version == _version ? _idle + 1 : 0;
        _version = version;
        if (
            _idle >= IdleTurns
            && new FileInfo($"{_connection.DataSource}-wal") is { Exists: true, Length: > MaxIdleLog }
        )
            Truncate();
    }

    /// <returns>False where somebody still reads what is in the log.</returns>
    private bool Truncate() => _connection.Number("PRAGMA wal_checkpoint(TRUNCATE)") == 0;
}
