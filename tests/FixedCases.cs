using CsCheck;

namespace Wexil;

/// <summary>
/// Properties that hold for whatever comes. They are tried on the same made-up cases every time, so that what is judged
/// is the change and not the draw; with WEXIL_EXPLORE=1 on other cases each time. What fails is shrunk.
/// </summary>
internal static class FixedCases
{
    private const int Usual = 100,
        Shrinks = 5_000,
        SlowShrinks = 50;

    // The fast tests try the first few of the same cases, since they run after each change.
    private static readonly int Share = Environment.GetEnvironmentVariable("WEXIL_FAST") == "1" ? 8 : 1;
    private static readonly bool Explores = Environment.GetEnvironmentVariable("WEXIL_EXPLORE") == "1";

    /// <summary>What a count over all cases comes to where only a part of them is tried.</summary>
    public static int Part(int ofAll) => ofAll / Share;

    public static void AlwaysHolds<T>(this Gen<T> cases, Action<T> holds, int iter = Usual)
    {
        if (Explores)
        {
            cases.Sample(holds, iter: iter * 10);
            return;
        }
        if (
            Drawn(cases, iter)
                .ToArray()
                .AsParallel()
                .AsOrdered()
                .Select(drawn => (Drawn: drawn, Error: Tried(drawn.Case, holds)))
                .FirstOrDefault(tried => tried.Error is not null) is
            { Error: { } error } failed
        )
            throw Failed(failed.Drawn, error, Shrink());

        string? Shrink() => Smallest(() => cases.Sample(holds, seed: failed.Drawn.Seed, iter: Shrinks, threads: 1));
    }

    public static async Task AlwaysHoldsAsync<T>(this Gen<T> cases, Func<T, Task> holds, int iter = Usual)
    {
        if (Explores)
        {
            await cases.SampleAsync(holds, iter: iter, threads: 1);
            return;
        }
        foreach (var drawn in Drawn(cases, iter))
        {
            try
            {
                await holds(drawn.Case);
            }
            catch (Exception error)
            {
                var smallest = await SmallestAsync(() =>
                    cases.SampleAsync(holds, seed: drawn.Seed, iter: SlowShrinks, threads: 1)
                );
                throw Failed(drawn, error, smallest);
            }
        }
    }

    public static void AlwaysHolds<T>(this Gen<T> cases, Func<T, bool> holds, int iter = Usual) =>
        cases.AlwaysHolds(one => Assert.True(holds(one)), iter);

    public static void AlwaysHolds<T1, T2>(this Gen<(T1, T2)> cases, Func<T1, T2, bool> holds, int iter = Usual) =>
        cases.AlwaysHolds(one => Assert.True(holds(one.Item1, one.Item2)), iter);

    public static void AlwaysHolds<T1, T2>(this Gen<(T1, T2)> cases, Action<T1, T2> holds, int iter = Usual) =>
        cases.AlwaysHolds(one => holds(one.Item1, one.Item2), iter);

    public static void AlwaysHolds<T1, T2, T3>(
        this Gen<(T1, T2, T3)> cases,
        Action<T1, T2, T3> holds,
        int iter = Usual
    ) => cases.AlwaysHolds(one => holds(one.Item1, one.Item2, one.Item3), iter);

    public static void AlwaysHolds<T1, T2, T3>(
        this Gen<(T1, T2, T3)> cases,
        Func<T1, T2, T3, bool> holds,
        int iter = Usual
    ) => cases.AlwaysHolds(one => Assert.True(holds(one.Item1, one.Item2, one.Item3)), iter);

    public static void AlwaysHolds<T1, T2, T3, T4>(
        this Gen<(T1, T2, T3, T4)> cases,
        Action<T1, T2, T3, T4> holds,
        int iter = Usual
    ) => cases.AlwaysHolds(one => holds(one.Item1, one.Item2, one.Item3, one.Item4), iter);

    public static void AlwaysHolds<T1, T2, T3, T4, T5>(
        this Gen<(T1, T2, T3, T4, T5)> cases,
        Action<T1, T2, T3, T4, T5> holds,
        int iter = Usual
    ) => cases.AlwaysHolds(one => holds(one.Item1, one.Item2, one.Item3, one.Item4, one.Item5), iter);

    public static Task AlwaysHoldsAsync<T1, T2>(this Gen<(T1, T2)> cases, Func<T1, T2, Task> holds, int iter = Usual) =>
        cases.AlwaysHoldsAsync(one => holds(one.Item1, one.Item2), iter);

    public static Task AlwaysHoldsAsync<T1, T2, T3>(
        this Gen<(T1, T2, T3)> cases,
        Func<T1, T2, T3, Task> holds,
        int iter = Usual
    ) => cases.AlwaysHoldsAsync(one => holds(one.Item1, one.Item2, one.Item3), iter);

    private static IEnumerable<DrawnCase<T>> Drawn<T>(Gen<T> cases, int count)
    {
        var chance = new PCG(1, 1);
        for (var i = 1; i <= Math.Ceiling((double)count / Share); i++)
        {
            var seed = chance.ToString(chance.State);
            yield return new(cases.Generate(chance, null!, out _), i, seed);
        }
    }

    /// <param name="Seed">What the generator makes this case of.</param>
    private sealed record DrawnCase<T>(T Case, int Number, string Seed);

    private static Exception? Tried<T>(T one, Action<T> holds)
    {
        try
        {
            holds(one);
            return null;
        }
        catch (Exception error)
        {
            return error;
        }
    }

    private static string? Smallest(Action sample)
    {
        try
        {
            sample();
            return null;
        }
        catch (CsCheckException shrunk)
        {
            return shrunk.Message;
        }
    }

    private static async Task<string?> SmallestAsync(Func<Task> sample)
    {
        try
        {
            await sample();
            return null;
        }
        catch (CsCheckException shrunk)
        {
            return shrunk.Message;
        }
    }

    private static InvalidOperationException Failed<T>(DrawnCase<T> drawn, Exception error, string? smallest) =>
        new(
            $"Case {drawn.Number} does not hold: {drawn.Case}\n{error.Message}\n"
                + $"The smallest that does not: {smallest ?? "this one"}",
            error
        );
}
