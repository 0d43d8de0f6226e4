using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.Core.Simulation;

/// <summary>
/// Simulates whole tests under hourly looks, by four rules: that of new tests, that of tests from before there were
/// plans, the textbook's test at every look, and the usual "95%, 100 conversions, 14 days". A run is the same for the
/// same number.
/// </summary>
public static class Calibration
{
    private const double Alpha = 0.05;
    private const int UsualConversions = 100,
        UsualDays = 14;

    /// <param name="tell">Told after each run how many are done; may come from several threads.</param>
    public static Calibrated Run(CalibrationCase what, int runs, Action<int>? tell = null)
    {
        var calls = All(what, runs, tell);
        return new(
            what,
            runs,
            CallCount.Of(calls.Select(call => call.Planned)),
            CallCount.Of(calls.Select(call => call.AlwaysValid)),
            CallCount.Of(calls.Select(call => call.Textbook)),
            CallCount.Of(calls.Select(call => call.Usual))
        );
    }

    /// <summary>What was called in each run.</summary>
    /// <inheritdoc cref="Run"/>
    public static Calls[] All(CalibrationCase what, int runs, Action<int>? tell = null)
    {
        var (calls, done) = (new Calls[runs], 0);
        Parallel.For(0, runs, run =>
        {
            calls[run] = Once(what, run);
            tell?.Invoke(Interlocked.Increment(ref done));
        });
        return calls;
    }

    /// <summary>One simulated test, looked at every hour.</summary>
    public static Calls Once(CalibrationCase what, int run)
    {
        var test = new SimulatedTest(what, new Random(HashCode(what.Name, run)));
        var (planned, open) = (new Judge(what, isPlanned: true), new Judge(what, isPlanned: false));
        Calls calls = default;
        for (var hour = 0; hour < CalibrationCase.Days * 24 && !calls.AreAll; hour++)
        {
            test.Pass(hour);
            var totals = test.Totals;
            var came = totals.Sum(total => total.Arm.Visitors);
            Estimate?[] estimates = [null, .. Enumerable.Range(1, what.Pages - 1).Select(test.Difference)];
            if (calls.Planned is null && planned.Look(totals, estimates) is { } seen)
                calls = calls with
                {
                    Planned = came,
                    LiftSeen = seen.Difference / Level(what, totals[0]),
                    LiftExpected = seen.Expected / Level(what, totals[0]),
                };
            if (calls.AlwaysValid is null && open.Look(totals, estimates) is not null)
                calls = calls with { AlwaysValid = came };
            if (calls is { Textbook: not null, Usual: not null } || !ByTextbook(what, totals))
                continue;
            calls = calls with { Textbook = calls.Textbook ?? came };
            if ((hour + 1) / 24 >= UsualDays && totals.All(total => total.Arm.Conversions >= UsualConversions))
                calls = calls with { Usual = calls.Usual ?? came };
        }
        return calls;
    }

    private static double Level(CalibrationCase what, SimulatedTally control) =>
        what.IsMoney ? control.Revenue.Mean : control.Arm.Rate;

    // Where one page is better, only that is right.
    private static bool ByTextbook(CalibrationCase what, SimulatedTally[] totals)
    {
        double P(SimulatedTally page) =>
            what.IsMoney ? RevenueSample.Compare(totals[0].Revenue, page.Revenue)?.P ?? 1
            : totals[0].Arm.Conversions + page.Arm.Conversions > 0 ? TwoRates.PooledP(totals[0].Arm, page.Arm)
            : 1;
        return totals.Skip(what.Lift > 0 ? what.Pages - 1 : 1).Any(page => P(page) <= Alpha);
    }

    // The framework's own hash differs from one start to the next.
    private static int HashCode(string name, int run)
    {
        var hash = unchecked((uint)run * 2654435761u);
        foreach (var letter in name)
            hash = unchecked((hash ^ letter) * 16777619u);
        return (int)(hash & int.MaxValue);
    }

    /// <summary>Looks at a test as the program does: with what earlier looks saw.</summary>
    private sealed class Judge(CalibrationCase what, bool isPlanned)
    {
        private readonly PastLooks[] _past = [.. Enumerable.Repeat(PastLooks.None, what.Pages)];
        private SamplingPlan? _moneyPlan;

        private static double Earned =>
            SimulatedTest.Order * (1 - SimulatedTest.LargeShare) + SimulatedTest.LargeOrder * SimulatedTest.LargeShare;

        /// <returns>The page that is called; null where none is, or a wrong one.</returns>
        public Comparison? Look(SimulatedTally[] totals, Estimate?[] estimates)
        {
            double Met(SimulatedTally total) => what.IsMoney ? total.Revenue.EffectiveBuyers : total.Arm.Conversions;
            if (totals.Any(total => Met(total) < AlwaysValidTest.MinConversions))
                return null;
            var compared = ChallengerComparisons.Compute(estimates, 0, _ => true, Rule(estimates), Alpha, _past, []);
            for (var page = 1; page < compared.Length; page++)
                if (compared[page] is { } look)
                    _past[page] = _past[page].With(look);
            return what.Lift > 0
                ? compared[^1] is { Difference: > 0 } right && right.P <= Alpha
                    ? right
                    : null
                : compared.FirstOrDefault(look => look?.P <= Alpha);
        }

        private LookRule Rule(Estimate?[] estimates)
        {
            var tau = CalibrationCase.SmallestLift * what.Rate;
            var plan = SamplingPlan.ForLift(what.Rate, CalibrationCase.SmallestLift, what.Pages);
            if (!what.IsMoney)
                return new(tau, isPlanned ? plan : null);
            _moneyPlan ??= plan.ForMoney(
                estimates.OfType<Estimate>().Average(estimate => estimate.Sum.Variance / estimate.Weight)
            );
            return new(tau * Earned, isPlanned ? _moneyPlan : null);
        }
    }
}
