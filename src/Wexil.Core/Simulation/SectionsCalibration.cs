using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.Core.Simulation;

/// <summary>
/// Simulates tests of several sections at once under hourly looks by the rule of new tests: each version against the
/// first of its section, Holm over the comparisons of all sections. A run is the same for the same number.
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
        var judge = new Judge(what, cells);
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
            if (judge.Calls(seen))
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

    /// <summary>
    /// Looks at all sections as the program does: each is a test with a plan of its own, adjusted together with what
    /// earlier looks saw of the others.
    /// </summary>
    private sealed class Judge(SectionsCase what, int[][] cells)
    {
        private readonly double _tau = CalibrationCase.SmallestLift * what.Rate;
        private readonly PastLooks[][] _past =
        [
            .. what.Versions.Select(count => Enumerable.Repeat(PastLooks.None, count).ToArray()),
        ];

        public bool Calls(Arm[] seen)
        {
            var isCalled = false;
            for (var section = 0; section < what.Versions.Count; section++)
            {
                var compared = Look(section, ArmsOf(section, seen));
                // Where a version is better, only that is right.
                isCalled |=
                    what.Lift == 0
                        ? compared.Any(look => look?.P <= Alpha)
                        : section == 0 && compared[^1] is { Difference: > 0, P: <= Alpha };
                for (var version = 1; version < compared.Length; version++)
                    if (compared[version] is { } look)
                        _past[section][version] = _past[section][version].With(look);
            }
            return isCalled;
        }

        private Arm[] ArmsOf(int section, Arm[] seen)
        {
            var arms = new Arm[what.Versions[section]];
            for (var cell = 0; cell < cells.Length; cell++)
                arms[cells[cell][section]] += seen[cell];
            return arms;
        }

        private Comparison?[] Look(int section, Arm[] arms)
        {
            var compared = 1 + what.Versions.Sum(count => count - 1);
            var beside = _past
                .Where((_, other) => other != section)
                .SelectMany(past => past.Skip(1).Select(look => Math.Min(look.Ahead, look.Behind)));
            return ChallengerComparisons.Compute(
                [null, .. arms.Skip(1).Select(arm => Phases.Difference([new(arms[0], arm)]))],
                control: 0,
                version => arms[version].Conversions >= AlwaysValidTest.MinConversions,
                new LookRule(
                    _tau,
                    SamplingPlan.ForLift(what.Rate, CalibrationCase.SmallestLift, PlannedSize.PlannedDrift(compared))
                ),
                Alpha,
                _past[section],
                [.. beside]
            );
        }
    }
}
