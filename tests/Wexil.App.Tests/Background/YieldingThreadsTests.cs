using Wexil.App.Background;

namespace Wexil.App.Tests.Background;

/// <summary>What no visitor waits for runs on threads that give way.</summary>
public sealed class YieldingThreadsTests
{
    private const int MostNiceness = 19;

    [Fact]
    public async Task Work_starts_on_threads_that_give_way_and_goes_on_there_after_it_waited()
    {
        using var threads = new YieldingThreads();
        var seen = new List<int>();
        await threads.RunAsync(async () =>
        {
            seen.Add(Niceness());
            await Task.Delay(1);
            seen.Add(Niceness());
            await Task.Run(() => seen.Add(Niceness()));
        });
        var usual = await Task.Run(Niceness);
        var yielding = Math.Min(MostNiceness, usual + 10);
        Assert.Equal([yielding, yielding, usual], seen);
    }

    [Fact]
    public async Task A_failure_is_the_callers()
    {
        using var threads = new YieldingThreads();
        await Assert.ThrowsAsync<InvalidDataException>(() =>
            threads.RunAsync(async () =>
            {
                await Task.Yield();
                throw new InvalidDataException();
            })
        );
    }

    [Fact]
    public async Task What_goes_on_after_the_end_is_still_done()
    {
        var (threads, may, done) = (new YieldingThreads(), new TaskCompletionSource(), false);
        var late = threads.RunAsync(async () =>
        {
            await may.Task;
            done = true;
        });
        threads.Dispose();
        may.SetResult();
        await late;
        await threads.RunAsync(() => Task.CompletedTask);
        Assert.True(done);
    }

    /// <summary>Of the current thread, as the kernel has it: the 19th field.</summary>
    private static int Niceness()
    {
        var fields = File.ReadAllText("/proc/thread-self/stat").Split(") ")[^1].Split(' ');
        return int.Parse(fields[16], System.Globalization.CultureInfo.InvariantCulture);
    }
}
