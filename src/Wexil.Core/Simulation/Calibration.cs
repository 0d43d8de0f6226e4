using Wexil.Core.Statistics;

namespace Wexil.Core.Simulation;

/// <summary>
/// Simulates whole tests under hourly looks, by three rules: the peek-safe one, the textbook's test at every look, and
/// the usual "95%, 100 conversions, 14 days". A run is the same for the same number.
/// </summary>
public static class Calibration
{
    private const double Alpha = 0.05,
        Order = 39,
        LargeOrder = 50 * Order,
        LargeShare = 1 / 40.0;
    private const int DefaultConversions = 100,
        DefaultDays = 14;

    /// <param name="tell">Told after each run how many are done; may come from several threads.</param>
    public static Calibrated Run(CalibrationCase what, int runs, Action<int>? tell = null)
    {
        int peekSafe = 0,
            textbook = 0,
            usual = 0,
            done = 0;
        Parallel.For(0, runs, run =>
        {
            var calls = Once(what, run);
            if (calls.PeekSafe)
                Interlocked.Increment(ref peekSafe);
            if (calls.Textbook)
                Interlocked.Increment(ref textbook);
            if (calls.Usual)
                Interlocked.Increment(ref usual);
            tell?.Invoke(Interlocked.Increment(ref done));
        });
        return new(what, runs, peekSafe, textbook, usual);
    }

    /// <summary>One simulated test, looked at every hour.</summary>
    public static Calls Once(CalibrationCase what, int run)
    {
        const int hours = CalibrationCase.Days * 24;
        var random = new Random(HashCode(what.Name, run));
        var perHour = what.VisitorsPerPage * what.Pages / hours;
        var phases = new List<Tally[]> { New(what.Pages) };
        double[] weights = [.. Enumerable.Repeat(1.0 / what.Pages, what.Pages)];
        Calls calls = default;
        var due = new double[what.Pages];
        for (var hour = 0; hour < hours; hour++)
        {
            if (what.Shifts && hour == hours / 2)
            {
                // Most go to the last page from now on, as one does who believes in it.
                for (var i = 0; i < what.Pages; i++)
                    weights[i] = i == what.Pages - 1 ? 0.7 : 0.3 / (what.Pages - 1);
                phases.Add(New(what.Pages));
            }
            // The rate swings over the day, and over the weeks where that would lead astray.
            var swing =
                1 + 0.3 * Math.Sin(2 * Math.PI * hour / 24) + (what.Shifts ? 0.4 * (hour < hours / 2 ? -1 : 1) : 0);
            for (var page = 0; page < what.Pages; page++)
            {
                due[page] += perHour * weights[page];
                var visitors = (int)due[page];
                due[page] -= visitors;
                var rate = what.Rate * swing * (page == what.Pages - 1 ? 1 + what.Lift : 1);
                phases[^1][page].Add(random, visitors, Math.Min(rate, 0.99), what.IsMoney);
            }
            calls = Look(what, phases, (hour + 1) / 24, calls);
            if (calls is { PeekSafe: true, Textbook: true, Usual: true })
                break;
        }
        return calls;
    }

    private static Calls Look(CalibrationCase what, List<Tally[]> phases, int day, Calls before)
    {
        var totals = Enumerable
            .Range(0, what.Pages)
            .Select(page => phases.Aggregate(new Tally(), (sum, phase) => sum + phase[page]))
            .ToArray();
        var (peekSafe, textbook, usual) = (before.PeekSafe, before.Textbook, before.Usual);
        if (!peekSafe && totals.All(total => total.Met(what.IsMoney) >= AlwaysValidTest.MinConversions))
        {
            var tau =
                CalibrationCase.SmallestLift
                * what.Rate
                * (what.IsMoney ? Order * (1 - LargeShare) + LargeOrder * LargeShare : 1);
            var estimates = Enumerable
                .Range(1, what.Pages - 1)
                .Select(page => Difference(what, phases, page))
                .ToArray();
            var adjusted = Holm.Adjust([
                .. estimates.Select(estimate => estimate is { } known ? AlwaysValidTest.At(known, tau).P : 1),
            ]);
            // Where one page is better, only that is right.
            peekSafe =
                what.Lift > 0
                    ? adjusted[^1] <= Alpha && estimates[^1]!.Value.Difference > 0
                    : adjusted.Any(p => p <= Alpha);
        }
        for (var page = what.Lift > 0 ? what.Pages - 1 : 1; page < what.Pages && !(textbook && usual); page++)
        {
            var isCalled =
                (
                    what.IsMoney ? RevenueSample.Compare(totals[0].Takings, totals[page].Takings)?.P
                    : totals[0].Arm.Conversions + totals[page].Arm.Conversions > 0
                        ? TwoRates.PooledP(totals[0].Arm, totals[page].Arm)
                    : 1
                ) <= Alpha;
            textbook |= isCalled;
            usual |= isCalled && day >= DefaultDays && totals.All(total => total.Arm.Conversions >= DefaultConversions);
        }
        return new(peekSafe, textbook, usual);
    }

    private static Estimate? Difference(CalibrationCase what, List<Tally[]> phases, int page) =>
        what.IsMoney
            ? Phases.DifferenceOfMeans(phases.Select(phase => (phase[0].Takings, phase[page].Takings)))
            : Phases.Difference(phases.Select(phase => new PhasePair(phase[0].Arm, phase[page].Arm)));

    private static Tally[] New(int pages) => [.. Enumerable.Range(0, pages).Select(_ => new Tally())];

    // The framework's own hash differs from one start to the next.
    private static int HashCode(string name, int run)
    {
        var hash = unchecked((uint)run * 2654435761u);
        foreach (var letter in name)
            hash = unchecked((hash ^ letter) * 16777619u);
        return (int)(hash & int.MaxValue);
    }

    private struct Tally
    {
        public Arm Arm;
        public RevenueSample Takings;

        public static Tally operator +(Tally a, Tally b) =>
            new() { Arm = a.Arm + b.Arm, Takings = a.Takings + b.Takings };

        /// <summary>How much was seen: conversions, or buyers of orders of the same size.</summary>
        public readonly double Met(bool isMoney) => isMoney ? Takings.EffectiveBuyers : Arm.Conversions;

        public void Add(Random random, int visitors, double rate, bool isMoney)
        {
            // From one success to the next: as many steps as there are successes, not visitors.
            var (met, sum, squares, log) = (0L, 0.0, 0.0, Math.Log(1 - rate));
            for (
                var i = (long)(Math.Log(1 - random.NextDouble()) / log);
                i < visitors;
                i += 1 + (long)(Math.Log(1 - random.NextDouble()) / log)
            )
            {
                met++;
                if (!isMoney)
                    continue;
                var value = random.NextDouble() < LargeShare ? LargeOrder : Order;
                sum += value;
                squares += value * value;
            }
            Arm += new Arm(visitors, met);
            Takings += new RevenueSample(visitors, sum, squares);
        }
    }
}
