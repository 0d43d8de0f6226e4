using CsCheck;

namespace Wexil;

/// <summary>
/// Properties that hold for whatever comes. They are tried on the same made-up cases every time, so that what is judged
/// is the change and not the draw; with WEXIL_EXPLORE=1 on other cases each time, and what fails is shrunk.
/// </summary>
internal static class FixedCases
{
    private const int Usual = 100;
    private static readonly bool Explores = Environment.GetEnvironmentVariable("WEXIL_EXPLORE") == "1";

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
                .Select(drawn => Tried(drawn.Case, drawn.Number, holds))
                .FirstOrDefault(failed => failed is not null) is
            { } first
        )
            throw first;
    }

    public static async Task AlwaysHoldsAsync<T>(this Gen<T> cases, Func<T, Task> holds, int iter = Usual)
    {
        if (Explores)
        {
            await cases.SampleAsync(holds, iter: iter, threads: 1);
            return;
        }
        foreach (var (one, number) in Drawn(cases, iter))
        {
            try
            {
                await holds(one);
            }
            catch (Exception error)
            {
                throw Failed(number, one, error);
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

    private static IEnumerable<(T Case, int Number)> Drawn<T>(Gen<T> cases, int count)
    {
        var chance = new PCG(1, 1);
        for (var i = 1; i <= count; i++)
            yield return (cases.Generate(chance, null!, out _), i);
    }

    private static InvalidOperationException? Tried<T>(T one, int number, Action<T> holds)
    {
        try
        {
            holds(one);
            return null;
        }
        catch (Exception error)
        {
            return Failed(number, one, error);
        }
    }

    private static InvalidOperationException Failed<T>(int number, T one, Exception error) =>
        new($"Case {number} does not hold: {one}\n{error.Message}", error);
}
