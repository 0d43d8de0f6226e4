using Microsoft.Data.Sqlite;
using Microsoft.Extensions.Logging;

namespace Wexil.Store.Recording;

/// <summary>
/// Moves the write-ahead log into the data file in the background, on a connection of its own and without blocking
/// anybody: waiting for the disk is not the writer's business, which visitors wait for.
/// </summary>
internal sealed class Checkpointer : IDisposable
{
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

    public Checkpointer(SqliteConnection connection, ILogger logger)
    {
        (_connection, _logger) = (connection, logger);
        _thread = new(Run)
        {
            IsBackground = true,
            Name = "checkpointer",
            Priority = ThreadPriority.BelowNormal,
        };
        _thread.Start();
    }

    /// <summary>Has all of the log moved, and the log itself emptied, as soon as no reader needs it.</summary>
    public void Empty() => _empties = true;

    public void Dispose()
    {
        _ended.Set();
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
                _connection.Execute("PRAGMA wal_checkpoint(PASSIVE)");
                if (_empties && _connection.Number("PRAGMA wal_checkpoint(TRUNCATE)") == 0)
                    _empties = false;
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
}
