using Wexil.Core.Statistics;

namespace Wexil.Core.Simulation;

/// <summary>
/// Simulates tests of several sections at once under hourly looks: each version against the first of its section, Holm
/// over the comparisons of all sections. A run is the same for the same number.
/// </summary>
public static class SectionsCalibration
{
    private const double Alpha = 0.05;
    private const int Hours = CalibrationCase.Days * 24;

    /// <summary>In how many runs something was called; where a version is better, in how many it was.</summary>
    public static int Run(SectionsCase what, int runs)
    {
        var called = 0;
        Parallel.For(0, runs, run =>
        {
            if (Once(what, run))
                Interlocked.Increment(ref called);
        });
        return called;
    }

    /// <summary>One simulated test; true where a look calls what it should, or, where all is alike, anything.</summary>
    public static bool Once(SectionsCase what, int run)
    {
        var random = new Random(unchecked(run * 486187739 + what.Name.Length));
        int[][] cells = [.. Cells(what.Versions)];
        var seen = new Arm[cells.Length];
        var due = new double[cells.Length];
        for (var hour = 0; hour < Hours; hour++)
        {
            var swing = 1 + 0.3 * Math.Sin(2 * Math.PI * hour / 24);
            for (var cell = 0; cell < cells.Length; cell++)
            {
                due[cell] += what.Visitors / Hours / cells.Length;
                var visitors = (int)due[cell];
                due[cell] -= visitors;
                seen[cell] += Come(random, visitors, RateOf(what, cells[cell]) * swing);
            }
            if (IsCalled(what, cells, seen))
                return true;
        }
        return false;
    }

    private static double RateOf(SectionsCase what, int[] versions)
    {
        bool IsLast(int section) => versions[section] == what.Versions[section] - 1;
        var together = IsLast(0) == IsLast(1) ? what.Interaction : -what.Interaction;
        return what.Rate * (IsLast(0) ? 1 + what.Lift : 1) * (1 + together);
    }

    private static bool IsCalled(SectionsCase what, int[][] cells, Arm[] seen)
    {
        var comparisons = new List<(bool IsBetterOne, Estimate Estimate, bool IsEnough)>();
        for (var section = 0; section < what.Versions.Count; section++)
        {
            var arms = new Arm[what.Versions[section]];
            for (var cell = 0; cell < cells.Length; cell++)
                arms[cells[cell][section]] += seen[cell];
            for (var version = 1; version < arms.Length; version++)
                comparisons.Add(
                    (
                        section == 0 && version == arms.Length - 1,
                        Phases.Difference([new(arms[0], arms[version])]) ?? default,
                        Math.Min(arms[0].Conversions, arms[version].Conversions) >= AlwaysValidTest.MinConversions
                    )
                );
        }
        var tau = CalibrationCase.SmallestLift * what.Rate;
        var adjusted = Holm.Adjust([
            .. comparisons.Select(one => one.IsEnough ? AlwaysValidTest.At(one.Estimate, tau).P : 1),
        ]);
        // Where a version is better, only that is right.
        return comparisons
            .Zip(adjusted)
            .Any(one =>
                one.Second <= Alpha && (what.Lift == 0 || one.First is { IsBetterOne: true, Estimate.Difference: > 0 })
            );
    }

    private static Arm Come(Random random, int visitors, double rate)
    {
        var (met, log) = (0L, Math.Log(1 - rate));
        for (
            var i = (long)(Math.Log(1 - random.NextDouble()) / log);
            i < visitors;
            i += 1 + (long)(Math.Log(1 - random.NextDouble()) / log)
        )
            met++;
        return new(visitors, met);
    }

    private static IEnumerable<int[]> Cells(IReadOnlyList<int> versions)
    {
        IEnumerable<int[]> cells =
        [
            [],
        ];
        foreach (var count in versions)
            cells = cells.SelectMany(cell => Enumerable.Range(0, count).Select(version => (int[])[.. cell, version]));
        return cells;
    }
}
