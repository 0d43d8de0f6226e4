using System.Diagnostics;
using Microsoft.Data.Sqlite;
using Microsoft.Extensions.Logging;
using Microsoft.Extensions.Logging.Abstractions;
using Wexil.Core.Common;
using Wexil.Store.Recording.Projection;

namespace Wexil.Store.Recording;

/// <summary>How the journal writes.</summary>
/// <param name="SurvivePowerLoss">Waits for the disk at every commit. Without it a commit survives the end of the
/// process, but a power cut may take the last ones.</param>
/// <param name="Patience">How long a visitor waits for the store; a quarter of a second where nothing is said.</param>
/// <param name="Memory">What events may take in memory while the store is not well, in bytes.</param>
public sealed record JournalOptions(
    bool SurvivePowerLoss = false,
    TimeSpan? Patience = null,
    long Memory = 200 << 20,
    int SpillBytes = 8 << 20
)
{
    /// <summary>
    /// How long the writer waits for a lock before the store is called unwell: far less than visitors wait for the
    /// writer.
    /// </summary>
    public TimeSpan LockPatience { get; init; } = TimeSpan.FromMilliseconds(50);
}

/// <summary>
/// The single writer. Events are appended in groups, a commit a group, and whoever appended is told when the commit is
/// done; Studio's writes stand in the same line. What is appended is projected in the time between.
/// </summary>
public sealed class Journal : IDisposable
{
    private static readonly Task<Recorded> LostAlready = Task.FromResult(Recorded.Lost);

    private const int GroupSize = 4096,
        AnswersAThread = 16,
        ProjectionSize = 25_000;

    private static readonly Action<ILogger, int, Exception?> NotCommitted = LoggerMessage.Define<int>(
        LogLevel.Error,
        new(1, nameof(NotCommitted)),
        "{Events} events cannot be committed; they wait, and visitors are served all the same"
    );

    private static readonly Action<ILogger, long, Exception?> NotProjected = LoggerMessage.Define<long>(
        LogLevel.Error,
        new(2, nameof(NotProjected)),
        "What was recorded after event {Event} cannot be counted yet; it is tried again"
    );

    private readonly Lock _lock = new();
    private readonly SemaphoreSlim _work = new(0);
    private readonly Thread _writer;
    private readonly Timer _watch;
    private readonly SpillFile _spill;
    private readonly JournalOptions _options;
    private readonly long _patience;
    private readonly SqliteConnection _connection;
    private readonly PreparedTransaction _transaction;
    private readonly Projector _projector;
    private readonly ProjectionPace _pace;
    private readonly Func<bool> _isEnough,
        _isUrgent;
    private readonly Checkpointer _checkpointer;
    private readonly RehearsalLog _rehearsals = new();
    private readonly EventLine _line;
    private readonly Queue<Action> _studio = [];
    private readonly List<WaitingEvent> _group = [];
    private TouchedRows _touched = new();
    private readonly List<(long Seq, TaskCompletionSource Done)> _followers = [];
    private long _appended,
        _commits,
        _lost;
    private bool _stopping,
        _unwell,
        _asleep;
    private readonly ILogger _logger;
    private volatile string? _trouble;

    /// <summary>Opens the writer, and records what an earlier run left in the spill file.</summary>
    /// <param name="spillFile">Its path; the file is made where there is none.</param>
    /// <param name="options">Null for the usual ones.</param>
    /// <param name="logger">Null for none.</param>
    public Journal(Database database, string spillFile, JournalOptions? options = null, ILogger? logger = null)
    {
        _logger = logger ?? NullLogger.Instance;
        _options = options ?? new();
        _patience = (long)((_options.Patience ?? TimeSpan.FromMilliseconds(250)).TotalSeconds * Stopwatch.Frequency);
        _line = new(_options.Memory);
        _connection = database.OpenWriter(_options);
        _transaction = new(_connection);
        _projector = new(_connection);
        // Read without the lock: to see it a moment later would do.
        _pace = new(() => _line.Count > 0 || _studio.Count > 0);
        (_isEnough, _isUrgent) = (_pace.IsEnough, _pace.IsUrgent);
        _checkpointer = new(database.OpenHousekeeper(), _logger);
        _checkpointer.Start();
        _appended = _connection.Number("SELECT max(seq) FROM events") ?? 0;
        _rehearsals.Read(_connection);
        _spill = SpillFile.Open(spillFile, _logger, _options.SpillBytes);
        foreach (var left in _spill.Read())
            _line.Add(new(left, Stopwatch.GetTimestamp()) { Spilled = true });
        _writer = new(Write) { IsBackground = true, Name = "journal" };
        _writer.Start();
        _watch = new(_ => ReleaseOverdue(), null, 25, 25);
    }

    /// <summary>Raised on the writer's thread after a projected batch is committed.</summary>
    public event Action<Projected>? Projected;

    /// <summary>Raised on the writer's thread after a write of Studio's that concerns tests is committed.</summary>
    public event Action<StudioChange>? Changed;

    /// <summary>
    /// Raised after a write of Studio's that concerns what visitors are answered from, before its caller goes on: what
    /// the caller does next may fail, and visitors are answered by what is stored all the same.
    /// </summary>
    public event Action<RouteChange>? RoutesChanged;

    /// <summary>How the store is at this moment.</summary>
    public StoreHealth Health
    {
        get
        {
            lock (_lock)
                return new(_trouble ?? (_unwell ? "no response yet" : null), _line.Count + _group.Count, _lost);
        }
    }

    /// <summary>How many events are recorded and not counted yet.</summary>
    public long NotCounted => Math.Max(0, Volatile.Read(ref _appended) - _projector.Mark);

    /// <summary>How many groups of events were committed since the start.</summary>
    public long Commits => Volatile.Read(ref _commits);

    /// <summary>Appends, and completes when the event is committed or the patience is over; never fails.</summary>
    /// <remarks>What a rehearsal visitor does is kept apart: it never becomes an event.</remarks>
    public Task<Recorded> AppendAsync(JournalEvent happened)
    {
        if (happened.Visitor.IsRehearsal)
            return RehearseAsync(happened);
        var entry = new WaitingEvent(happened, Stopwatch.GetTimestamp());
        bool wakes;
        lock (_lock)
        {
            // One visitor has waited in vain already; nobody else has to.
            entry.Spilled = _unwell;
            if (!_line.TryAdd(entry))
            {
                _lost++;
                return LostAlready;
            }
            if (entry.Spilled)
            {
                _spill.TryWrite(happened);
                entry.SetResult(Recorded.Late);
            }
            wakes = _asleep;
            _asleep = false;
        }
        // The writer's first act is to take the lock, so it is woken when that is free.
        if (wakes)
            _work.Release();
        return entry.Task;
    }

    /// <summary>
    /// To be called within a write that changes what visitors of a funnel are answered from, in a table whose rows have
    /// no numbers.
    /// </summary>
    internal void NoteRoutes(FunnelId funnel) => _touched.Add(funnel);

    /// <summary>To be called within a write that changes who is rehearsing.</summary>
    internal void ReadRehearsals(SqliteConnection c) => _rehearsals.Read(c);

    private async Task<Recorded> RehearseAsync(JournalEvent happened)
    {
        if (!_rehearsals.Knows(happened.Visitor))
            return Recorded.Committed;
        try
        {
            await WriteAsync(c => RehearsalLog.Write(c, happened));
            return Recorded.Committed;
        }
        catch (StoreException)
        {
            return Recorded.Lost;
        }
    }

    /// <summary>
    /// Runs Studio's write in a transaction of its own. Its exception is the caller's; nothing is changed then.
    /// </summary>
    /// <exception cref="StoreException">The store is not well.</exception>
    public async Task<T> WriteAsync<T>(Func<SqliteConnection, T> write)
    {
        var (result, routes) = await EnqueueAsync(write);
        if (routes is not null)
            RoutesChanged?.Invoke(routes);
        return result;
    }

    private Task<(T Result, RouteChange? Routes)> EnqueueAsync<T>(Func<SqliteConnection, T> write)
    {
        var done = new TaskCompletionSource<(T, RouteChange?)>(TaskCreationOptions.RunContinuationsAsynchronously);
        var watch = WriteWatch.Current;
        lock (_lock)
        {
            _studio.Enqueue(() =>
            {
                try
                {
                    var (result, touched, changed, routes) = Change(write);
                    if (touched.IsMapChanged)
                        _projector.ForgetContext();
                    if (changed is not null)
                        Changed?.Invoke(changed);
                    watch?.Note();
                    done.SetResult((result, routes));
                }
                catch (SqliteException error) when (error.SqliteErrorCode != SQLitePCL.raw.SQLITE_CONSTRAINT)
                {
                    done.SetException(new StoreException($"This could not be saved just now: {error.Message}", error));
                }
                catch (Exception error)
                {
                    done.SetException(error);
                }
            });
            WakeWriter();
        }
        return done.Task;
    }

    /// <summary>Runs a write of Studio’s in a transaction of its own, in turn with the visitors’ events.</summary>
    public Task WriteAsync(Action<SqliteConnection> write) =>
        WriteAsync(connection =>
        {
            write(connection);
            return true;
        });

    /// <summary>
    /// Has the write-ahead log emptied soon: it may hold, as they were before, things that are deleted since.
    /// </summary>
    internal void EmptyLog() => _checkpointer.Empty();

    /// <summary>Completes when everything committed by now is projected.</summary>
    public Task WhenProjectedAsync()
    {
        var done = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
        lock (_lock)
        {
            if (_line.Count == 0 && _group.Count == 0 && _projector.Mark >= _appended)
                return Task.CompletedTask;
            _followers.Add((_appended + _line.Count + _group.Count, done));
            WakeWriter();
        }
        return done.Task;
    }

    /// <summary>Counts everything again from the first event.</summary>
    public Task RecountAsync()
    {
        var done = new TaskCompletionSource(TaskCreationOptions.RunContinuationsAsynchronously);
        lock (_lock)
        {
            _studio.Enqueue(() =>
            {
                try
                {
                    _projector.Reset();
                    Changed?.Invoke(StudioChange.Everything);
                    done.SetResult();
                }
                catch (Exception error)
                {
                    done.SetException(error);
                }
            });
            WakeWriter();
        }
        return done.Task;
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        lock (_lock)
        {
            if (_stopping)
                return;
            _stopping = true;
            WakeWriter();
        }
        _writer.Join(TimeSpan.FromSeconds(20));
        _watch.Dispose();
        ReleaseOverdue();
        _checkpointer.Dispose();
        _projector.Dispose();
        _transaction.Dispose();
        _connection.Dispose();
        _spill.Dispose();
        _work.Dispose();
    }

    private void Write()
    {
        using var append = new PreparedStatement(
            _connection,
            """
            INSERT OR IGNORE INTO events (id, at, kind, visitor, step_id, page_id, test_id, phase_id, data)
            VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)
            """
        );
        while (true)
        {
            Sleep();
            bool stopping,
                idle;
            Action? studio;
            lock (_lock)
            {
                _line.MoveTo(_group, GroupSize);
                _studio.TryDequeue(out studio);
                idle = _line.Count == 0 && _group.Count == 0;
                stopping = _stopping;
            }
            if (_group.Count > 0 && !Commit(append))
            {
                // Events that cannot be committed wait in the spill file; the next start appends them.
                if (stopping)
                    return;
                Thread.Sleep(100);
            }
            studio?.Invoke();
            if (_projector.Mark < _appended && MayProject())
                Project();
            if (stopping && idle && studio is null && (_projector.Mark >= _appended || _trouble is not null))
                return;
            TellFollowers();
        }
    }

    /// <summary>Waits until there is something to write, or what is written may be projected.</summary>
    private void Sleep()
    {
        lock (_lock)
        {
            if (
                _line.Count > 0
                || _group.Count > 0
                || _studio.Count > 0
                || _stopping
                || (_projector.Mark < _appended && MayProject())
            )
                return;
            // Followers who came while the last events were being projected have not been told yet.
            if (_followers.Count > 0 && _projector.Mark >= _appended)
                return;
            _asleep = true;
        }
        if (_projector.Mark < _appended)
            _work.Wait(ProjectionPace.Quiet);
        else
            _work.Wait();
        lock (_lock)
        {
            _asleep = false;
            // A wake-up that came with the end of the wait.
            while (_work.Wait(0))
                continue;
        }
    }

    /// <summary>To be called under the lock. A writer that is awake looks into the queue again by itself.</summary>
    private void WakeWriter()
    {
        if (!_asleep)
            return;
        _asleep = false;
        _work.Release();
    }

    private bool Commit(PreparedStatement append)
    {
        try
        {
            var added = 0;
            _transaction.Run(() =>
            {
                foreach (var entry in _group)
                    added += Append(append, entry.Event);
            });
            _pace.Committed(isFirst: _projector.Mark >= _appended);
            Volatile.Write(ref _commits, _commits + 1);
            WaitingEvent[] committed;
            lock (_lock)
            {
                _appended += added;
                committed = [.. _group];
                _line.Free(_group);
                _group.Clear();
                if (_line.Count == 0)
                    _spill.Clear();
                _trouble = null;
                _unwell = false;
            }
            Answer(committed, Recorded.Committed);
            return true;
        }
        catch (SqliteException error)
        {
            // Said once, and not at every try until the store is well again.
            if (_trouble is null)
                NotCommitted(_logger, _group.Count, error);
            _trouble = error.Message;
            lock (_lock)
                _unwell = true;
            return false;
        }
    }

    /// <summary>Runs a write in a transaction, and tells what it touched of what others know by heart.</summary>
    private (T Result, TouchedRows Touched, StudioChange? Changed, RouteChange? Routes) Change<T>(
        Func<SqliteConnection, T> write
    )
    {
        var touched = _touched = new();
        SQLitePCL.raw.sqlite3_update_hook(_connection.Handle, (_, _, _, table, row) => touched.Add(table, row), null);
        try
        {
            using var transaction = _connection.BeginTransaction(deferred: false);
            var result = write(_connection);
            var (changed, routes) = (touched.Find(_connection), touched.FindRoutes(_connection));
            transaction.Commit();
            return (result, touched, changed, routes);
        }
        finally
        {
            SQLitePCL.raw.sqlite3_update_hook(_connection.Handle, (SQLitePCL.strdelegate_update?)null, null);
        }
    }

    private static int Append(PreparedStatement append, JournalEvent happened) =>
        append
            .Bind(1, happened.Id)
            .Bind(2, happened.At.ToUnixTimeMilliseconds())
            .Bind(3, (long)happened.Kind)
            .Bind(4, happened.Visitor.Value)
            .Bind(5, happened.Step.Value)
            .Bind(6, happened.Page.Value)
            .Bind(7, happened.Test?.Value)
            .Bind(8, happened.Phase?.Value)
            .Bind(9, happened.Data)
            .Run();

    private bool MayProject() => _stopping || _pace.MayBegin();

    private void Project()
    {
        try
        {
            _pace.Begin();
            if (_projector.Next(ProjectionSize, _isEnough, _isUrgent) is { } projected)
                Projected?.Invoke(projected);
            // Trouble with committing is over when a commit succeeds; trouble with projecting is over now.
            if (!_unwell)
                _trouble = null;
            _pace.End(left: _appended - _projector.Mark);
        }
        catch (BatchGivenUpException)
        {
            _pace.GiveUp();
        }
        catch (Exception error)
        {
            // Whatever it is, the events are kept, visitors are served, and it is tried again.
            if (_trouble is null)
                NotProjected(_logger, _projector.Mark, error);
            _trouble = error.Message;
            Thread.Sleep(100);
        }
    }

    private void TellFollowers()
    {
        if (_followers.Count == 0)
            return;
        lock (_lock)
        {
            var arrived = _line.Count == 0 && _group.Count == 0 && _projector.Mark >= _appended;
            _followers.RemoveAll(follower =>
                (arrived || _projector.Mark >= follower.Seq) && follower.Done.TrySetResult()
            );
        }
    }

    /// <summary>
    /// Once the store has let one visitor wait for too long, lets all go who wait, and puts their events where they
    /// survive the process.
    /// </summary>
    private void ReleaseOverdue()
    {
        List<WaitingEvent> overdue;
        lock (_lock)
        {
            var oldest = _group.Find(entry => !entry.Spilled) ?? _line.FirstWaiting;
            if (oldest is null || (Stopwatch.GetTimestamp() - oldest.Since < _patience && !_stopping))
                return;
            _unwell = true;
            overdue = [.. _group.Where(entry => !entry.Spilled), .. _line.Waiting];
            foreach (var entry in overdue)
            {
                entry.Spilled = true;
                _spill.TryWrite(entry.Event);
            }
            _line.LetGo();
        }
        Answer(overdue, Recorded.Late);
    }

    /// <summary>
    /// Lets those who wait go on, on other threads: a few at a time on each, for waking a thread costs more than an
    /// answer.
    /// </summary>
    private static void Answer(IReadOnlyList<WaitingEvent> entries, Recorded outcome)
    {
        for (var from = 0; from < entries.Count; from += AnswersAThread)
        {
            ThreadPool.UnsafeQueueUserWorkItem(
                static work =>
                {
                    for (var i = work.From; i < Math.Min(work.From + AnswersAThread, work.Entries.Count); i++)
                        work.Entries[i].TrySetResult(work.Outcome);
                },
                (Entries: entries, From: from, Outcome: outcome),
                preferLocal: false
            );
        }
    }
}
