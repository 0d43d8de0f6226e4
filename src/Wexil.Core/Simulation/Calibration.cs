using Wexil.Core.Results;
using Wexil.Core.SplitTests;
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
            CallCount.Of(calls.Select(call => call.Usual)),
            what.IsForetold ? Foretold(calls) : default
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
            calls = Foretell(calls, planned, came);
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

    private static Calls Foretell(Calls calls, Judge planned, long came) =>
        calls.Ended is not null ? calls
        : planned.IsOver ? calls with { Ended = came }
        : calls.Foretold is null && planned.IsHalfDone && planned.EndsIn is { } range
            ? calls with
            {
                Foretold = (came + range.Least, came + range.Most),
            }
        : calls;

    private static (int InRange, int Of) Foretold(Calls[] calls)
    {
        var foretold = calls.Where(call => call is { Foretold: not null, Ended: not null }).ToArray();
        return (
            foretold.Count(call => call.Ended >= call.Foretold!.Value.Least && call.Ended <= call.Foretold.Value.Most),
            foretold.Length
        );
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
        private LookRule? _rule;
        private Comparison?[] _seen = [];
        private double _rate;

        private IEnumerable<Comparison> Challengers => _seen.Skip(1).OfType<Comparison>();

        /// <summary>Half of the plan is done.</summary>
        public bool IsHalfDone => Challengers.Any() && Challengers.All(look => look.Progress >= 0.5);

        /// <summary>A page is called, all are called worse, all are level, or all plans are over.</summary>
        public bool IsOver =>
            Challengers.Any()
            && (
                Challengers.Any(look => look is { P: <= Alpha, Difference: > 0 })
                || Challengers.All(look => look.P <= Alpha || IsLevel(look))
                || Challengers.All(look => look.Progress >= 1)
            );

        private bool IsLevel(Comparison look) =>
            look.Interval is { } range && Math.Max(-range.Low, range.High) < _rule!.Tau;

        /// <summary>In how many visitors more it ends.</summary>
        public Forecast? EndsIn =>
            EndForecast.Range(_seen, 0, _rule!, Alpha, Weights.Even(what.Pages).Percent, _rate) is { } range
                ? Forecast.Create(range.Least, range.Most, perDay: 0)
                : null;

        /// <returns>The page that is called; null where none is, or a wrong one.</returns>
        public Comparison? Look(SimulatedTally[] totals, Estimate?[] estimates)
        {
            double Met(SimulatedTally total) => what.IsMoney ? total.Revenue.EffectiveBuyers : total.Arm.Conversions;
            if (totals.Any(total => Met(total) < AlwaysValidTest.MinConversions))
                return null;
            if (_rule is null || BlindedRate.IsFollowed(_seen))
                _rule = Rule(totals, estimates);
            var compared = ChallengerComparisons.Compute(estimates, 0, _ => true, _rule, Alpha, _past, []);
            _seen = compared;
            _rate = totals.Aggregate((sum, total) => sum + total).Arm.Rate;
            for (var page = 1; page < compared.Length; page++)
                if (compared[page] is { } look)
                    _past[page] = _past[page].With(look);
            return what.Lift > 0
                ? compared[^1] is { Difference: > 0 } right && right.P <= Alpha
                    ? right
                    : null
                : compared.FirstOrDefault(look => look?.P <= Alpha);
        }

        // By money, the plan goes by what all pages bring and how it is spread.
        private LookRule Rule(SimulatedTally[] totals, Estimate?[] estimates)
        {
            var drift = PlannedSize.PlannedDrift(what.Pages);
            var all = totals.Aggregate((sum, total) => sum + total);
            const double lift = CalibrationCase.SmallestLift;
            if (!what.IsMoney)
            {
                var rate = BlindedRate.Of(all.Arm, what.Pages, lift) ?? what.Rate;
                return new(lift * rate, isPlanned ? SamplingPlan.ForLift(rate, lift, drift) : null);
            }
            var spread = estimates.OfType<Estimate>().Average(estimate => estimate.Sum.Variance / estimate.Weight);
            var margin = lift * BlindedRate.Control(all.Revenue.Mean, what.Pages, lift);
            return new(margin, isPlanned ? SamplingPlan.ForSpread(spread, margin, drift) : null);
        }
    }
}
