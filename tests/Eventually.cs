using System.Runtime.CompilerServices;

namespace Wexil.Tests;

/// <summary>Waits, never for ever, for what happens beside a test and says nothing when it is done.</summary>
internal static class Eventually
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(30),
        Pause = TimeSpan.FromMilliseconds(5);

    public static Task HoldsAsync(Func<bool> holds, [CallerArgumentExpression(nameof(holds))] string what = "") =>
        HoldsAsync(() => Task.FromResult(holds()), what);

    public static async Task HoldsAsync(
        Func<Task<bool>> holds,
        [CallerArgumentExpression(nameof(holds))] string what = ""
    )
    {
        using var patience = new CancellationTokenSource(Patience);
        while (!await holds())
        {
            if (patience.IsCancellationRequested)
                throw new TimeoutException($"Not within {Patience.TotalSeconds:0} seconds: {what}");
            await Task.Delay(Pause);
        }
    }
}
