using System.Runtime.InteropServices;

namespace Wexil.App.Background;

/// <summary>
/// Threads for what no visitor waits for. Where the processor is busy they give way: a screen of Studio that takes a
/// tenth of a second takes longer then, and a visitor is served at once.
/// </summary>
/// <remarks>
/// On Linux each thread has a niceness of its own: Linux Programmer's Manual, setpriority(2), "C library/kernel
/// differences".
/// </remarks>
public sealed partial class YieldingThreads : TaskScheduler, IDisposable
{
    // Beside a busy thread of the usual niceness, a tenth of a processor is left. At half of this, visitors beside
    // screens waited half as long again (bench screens).
    private const int Niceness = 10,
        OwnThread = 0;

    private readonly Queue<Task> _waiting = [];

    // A screen that reads for a while does not keep the others waiting.
    private readonly Thread[] _threads = new Thread[Math.Max(4, 2 * Environment.ProcessorCount)];
    private bool _stopped;

    /// <summary>Starts them.</summary>
    public YieldingThreads()
    {
        for (var i = 0; i < _threads.Length; i++)
        {
            _threads[i] = new(Work) { IsBackground = true, Name = "yielding" };
            _threads[i].Start();
        }
    }

    /// <summary>Runs work on these threads, and all that it goes on with after it waited.</summary>
    public Task RunAsync(Func<Task> work) =>
        Task.Factory.StartNew(work, CancellationToken.None, TaskCreationOptions.DenyChildAttach, this).Unwrap();

    /// <inheritdoc cref="RunAsync(Func{Task})"/>
    public Task<T> RunAsync<T>(Func<Task<T>> work) =>
        Task.Factory.StartNew(work, CancellationToken.None, TaskCreationOptions.DenyChildAttach, this).Unwrap();

    /// <summary>Ends the threads once nothing waits for them. What comes later is still done, on others.</summary>
    public void Dispose()
    {
        lock (_waiting)
        {
            _stopped = true;
            Monitor.PulseAll(_waiting);
        }
    }

    /// <inheritdoc/>
    protected override void QueueTask(Task task)
    {
        lock (_waiting)
        {
            if (!_stopped)
            {
                _waiting.Enqueue(task);
                Monitor.Pulse(_waiting);
                return;
            }
        }
        ThreadPool.UnsafeQueueUserWorkItem(late => TryExecuteTask(late), task, preferLocal: false);
    }

    /// <inheritdoc/>
    protected override bool TryExecuteTaskInline(Task task, bool taskWasPreviouslyQueued) =>
        !taskWasPreviouslyQueued && _threads.Contains(Thread.CurrentThread) && TryExecuteTask(task);

    /// <inheritdoc/>
    protected override IEnumerable<Task> GetScheduledTasks()
    {
        lock (_waiting)
        {
            return _waiting.ToArray();
        }
    }

    private void Work()
    {
        // Where the system does not allow it, all are served alike.
        _ = SetPriority(0, OwnThread, Niceness);
        while (Next() is { } task)
            TryExecuteTask(task);
    }

    private Task? Next()
    {
        lock (_waiting)
        {
            while (_waiting.Count == 0 && !_stopped)
                Monitor.Wait(_waiting);
            return _waiting.TryDequeue(out var task) ? task : null;
        }
    }

    [LibraryImport("libc", EntryPoint = "setpriority")]
    private static partial int SetPriority(int which, uint who, int priority);
}
