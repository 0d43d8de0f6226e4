using Wexil.Core.Assignments;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;

namespace Wexil.Core.Simulation;

/// <summary>What a page has had in a phase of a simulated test.</summary>
internal struct SimulatedTally
{
    public Arm Arm;
    public RevenueSample Revenue;

    public static SimulatedTally operator +(SimulatedTally a, SimulatedTally b) =>
        new() { Arm = a.Arm + b.Arm, Revenue = a.Revenue + b.Revenue };
}

/// <summary>A simulated test, hour by hour.</summary>
internal sealed class SimulatedTest(CalibrationCase what, Random random)
{
    public const double Order = 39,
        LargeOrder = 50 * Order,
        LargeShare = 1 / 40.0;

    private const int Hours = CalibrationCase.Days * 24,
        Floor = 5,
        LeanEvery = 6;

    private readonly double _perHour = what.VisitorsPerPage * what.Pages / Hours;
    private readonly double[] _due = new double[what.Pages];
    private readonly PriorityQueue<(int Phase, int Page), double> _later = new();
    private double[] _weights = [.. Enumerable.Repeat(1.0 / what.Pages, what.Pages)];

    /// <summary>By phase and page.</summary>
    public List<SimulatedTally[]> Phases { get; } = [New(what.Pages)];

    /// <summary>What every page has had.</summary>
    public SimulatedTally[] Totals =>
        [
            .. Enumerable
                .Range(0, what.Pages)
                .Select(page => Phases.Aggregate(new SimulatedTally(), (sum, phase) => sum + phase[page])),
        ];

    /// <summary>Lets the visitors of an hour come, and those convert who are due.</summary>
    public void Pass(int hour)
    {
        Reweigh(hour);
        for (var page = 0; page < what.Pages; page++)
        {
            _due[page] += _perHour * _weights[page];
            var visitors = (int)_due[page];
            _due[page] -= visitors;
            var rate = what.Rate * Swing(hour) * (page == what.Pages - 1 ? 1 + what.Lift : 1);
            Come(page, visitors, Math.Min(rate, 0.99), hour);
        }
        while (_later.TryPeek(out var due, out var at) && at <= hour + 1)
        {
            _later.Dequeue();
            Phases[due.Phase][due.Page].Arm += new Arm(0, 1);
        }
    }

    /// <summary>The difference of a page from the first, over all phases; null while there is none.</summary>
    public Estimate? Difference(int page) =>
        what.IsMoney
            ? Statistics.Phases.DifferenceOfMeans(Phases.Select(phase => (phase[0].Revenue, phase[page].Revenue)))
            : Statistics.Phases.Difference(Phases.Select(phase => new PhasePair(phase[0].Arm, phase[page].Arm)));

    // The rate swings over the day, and from one setting of the weights to the next where that would lead astray.
    private double Swing(int hour) =>
        1 + 0.3 * Math.Sin(2 * Math.PI * hour / 24) + (what.Shifts == 0 ? 0 : 0.4 * (Stretch(hour) % 2 == 0 ? -1 : 1));

    private int Stretch(int hour) => hour * (what.Shifts + 1) / Hours;

    private void Reweigh(int hour)
    {
        if (hour > 0 && Stretch(hour) != Stretch(hour - 1))
        {
            // Most go to the last page, as one does who believes in it; then to all alike again.
            var isHeavy = Stretch(hour) % 2 == 1;
            for (var i = 0; i < what.Pages; i++)
                _weights[i] =
                    !isHeavy ? 1.0 / what.Pages
                    : i == what.Pages - 1 ? 0.7
                    : 0.3 / (what.Pages - 1);
            Phases.Add(New(what.Pages));
        }
        if (!what.Leans || hour % LeanEvery != 0 || hour == 0)
            return;
        var (chances, _) = RatePosterior.Compare([.. Totals.Select(total => new RatePosterior(total.Arm))]);
        var even = Weights.Create([.. Enumerable.Repeat(Weights.Total / what.Pages, what.Pages)]);
        var leaning = AdaptiveWeights.Compute(chances, Floor, even).Percent.Select(weight => weight / 100.0).ToArray();
        if (leaning.SequenceEqual(_weights))
            return;
        _weights = leaning;
        Phases.Add(New(what.Pages));
    }

    private void Come(int page, int visitors, double rate, int hour)
    {
        // From one success to the next: as many steps as there are successes, not visitors.
        var (met, sum, squares, log) = (0L, 0.0, 0.0, Math.Log(1 - rate));
        for (var i = Skipped(log); i < visitors; i += 1 + Skipped(log))
        {
            if (what.Delay > 0)
            {
                _later.Enqueue(
                    (Phases.Count - 1, page),
                    hour + random.NextDouble() - what.Delay * Math.Log(1 - random.NextDouble())
                );
                continue;
            }
            met++;
            if (!what.IsMoney)
                continue;
            var value = random.NextDouble() < LargeShare ? LargeOrder : Order;
            sum += value;
            squares += value * value;
        }
        Phases[^1][page].Arm += new Arm(visitors, met);
        Phases[^1][page].Revenue += new RevenueSample(visitors, sum, squares);
    }

    private long Skipped(double log) => (long)(Math.Log(1 - random.NextDouble()) / log);

    private static SimulatedTally[] New(int pages) => new SimulatedTally[pages];
}
