using Wexil.Core.Statistics;

namespace Wexil.Core.Simulation;

/// <summary>
/// A kind of test that is simulated many times over, to see how often rules of deciding are wrong, how often they find
/// what is there, and how soon.
/// </summary>
/// <param name="Rate">The share of the control's visitors who convert, averaged over the week.</param>
/// <param name="Lift">By how much the last page converts better; 0 where all pages are alike.</param>
/// <param name="Factor">How many times the textbook's sample comes.</param>
public sealed record CalibrationCase(string Name, int Pages, double Rate, double Lift, double Factor)
{
    /// <summary>The smallest lift worth finding, by which each test is planned.</summary>
    public const double SmallestLift = 0.2;

    private const double LongFactor = 1.6;

    /// <summary>
    /// What visitors bring is not known as well as how many convert, so a plan by money may be longer.
    /// </summary>
    private const double MoneyOver = 1.3;

    /// <summary>How long each simulated test runs.</summary>
    public const int Days = 28;

    /// <summary>Judged by what visitors bring, of whom one in forty brings fifty times as much.</summary>
    public bool IsMoney { get; init; }

    /// <summary>How often the weights change, while the rate moves.</summary>
    public int Shifts { get; init; }

    /// <summary>Weights follow the evidence.</summary>
    public bool Leans { get; init; }

    /// <summary>After how many hours, on average, a visitor converts; 0 for at once.</summary>
    public double Delay { get; init; }

    /// <summary>
    /// It comes to its end with the weights it began with, so that its end can be foretold.
    /// </summary>
    public bool IsForetold => !IsMoney && !Leans && Shifts == 0 && Delay == 0;

    /// <summary>What the rule of new tests promises of it; null for nothing.</summary>
    public CalibrationPromise? Promise =>
        Lift switch
        {
            0 => CalibrationPromise.HardlyWrong,
            SmallestLift => Factor == LongFactor ? CalibrationPromise.FoundInTheEnd : CalibrationPromise.FoundAsPlanned,
            _ => null,
        };

    /// <summary>The cases that are printed, in order.</summary>
    public static IReadOnlyList<CalibrationCase> All { get; } = [.. Alike(), .. Better()];

    /// <summary>Visitors of a page over the whole test.</summary>
    public double VisitorsPerPage => Planner.VisitorsPerPage(Rate, Rate * (1 + SmallestLift)) * Factor;

    private static double[] Rates => [0.005, 0.03, 0.3];

    private static int[] PageCounts => [2, 4];

    private static IEnumerable<CalibrationCase> Alike()
    {
        const double rate = 0.03;
        foreach (var pages in PageCounts)
        {
            var factor = pages == 2 ? 1.6 : 2;
            foreach (var each in Rates)
                yield return new($"{pages} pages alike, {each * 100:0.#}%", pages, each, 0, factor);
            foreach (var shifts in new[] { 1, 6, 27 })
                yield return new($"{pages} pages alike, weights shifted {shifts}", pages, rate, 0, factor)
                {
                    Shifts = shifts,
                };
            yield return new($"{pages} pages alike, by money", pages, rate, 0, 3) { IsMoney = true };
            yield return new($"{pages} pages alike, leaning", pages, rate, 0, factor) { Leans = true };
            yield return new($"{pages} pages alike, delayed", pages, rate, 0, factor) { Delay = 48 };
        }
    }

    private static IEnumerable<CalibrationCase> Better()
    {
        CalibrationCase Case(int pages, double rate, double lift, double factor) =>
            new(
                $"{pages} pages, one {lift * 100:0}% better, {rate * 100:0.#}%, x{factor:0.0}",
                pages,
                rate,
                lift,
                factor
            );
        foreach (var (pages, rate) in PageCounts.SelectMany(pages => Rates.Select(rate => (pages, rate))))
            yield return Case(pages, rate, SmallestLift, Planned(pages, rate));
        foreach (var rate in Rates)
            yield return Case(2, rate, SmallestLift, LongFactor);
        // As much more as orders vary more than conversions do, and until its plan is over.
        yield return new(
            "2 pages, one 20% better, by money",
            2,
            0.03,
            SmallestLift,
            Planned(2, 0.03) * OrdersVary(0.03) * MoneyOver
        )
        {
            IsMoney = true,
        };
        yield return Case(2, 0.03, 0.1, LongFactor);
        yield return Case(2, 0.03, 0.5, LongFactor);
    }

    /// <summary>How many times the textbook's sample for two pages a test is planned for.</summary>
    private static double Planned(int pages, double rate) =>
        Planner.PlannedTotal(rate, SmallestLift, pages)
        / pages
        / Planner.VisitorsPerPage(rate, Planner.BetterRate(rate, SmallestLift));

    private static double OrdersVary(double rate)
    {
        var mean =
            SimulatedTest.Order * (1 - SimulatedTest.LargeShare) + SimulatedTest.LargeOrder * SimulatedTest.LargeShare;
        var square =
            SimulatedTest.Order * SimulatedTest.Order * (1 - SimulatedTest.LargeShare)
            + SimulatedTest.LargeOrder * SimulatedTest.LargeOrder * SimulatedTest.LargeShare;
        return (square / (mean * mean) - rate) / (1 - rate);
    }
}

/// <summary>How many visitors had come when each rule first called a page better or worse; null where it never did.
/// </summary>
/// <param name="Planned">The rule of new tests.</param>
/// <param name="AlwaysValid">The rule of tests that began before there were plans.</param>
/// <param name="Textbook">The textbook’s test at every look.</param>
/// <param name="Usual">95%, 100 conversions a page, 14 days.</param>
public readonly record struct Calls(long? Planned, long? AlwaysValid, long? Textbook, long? Usual)
{
    /// <summary>By the planned rule, the lift of the page as it was seen when it was called.</summary>
    public double? LiftSeen { get; init; }

    /// <summary>The lift that was to be expected of it then.</summary>
    public double? LiftExpected { get; init; }

    /// <summary>
    /// The range in which the end was foretold when half of the plan was done; null where it had ended.
    /// </summary>
    public (double Least, double Most)? Foretold { get; init; }

    /// <summary>How many visitors had come when the test was over by the planned rule.</summary>
    public long? Ended { get; init; }

    internal bool AreAll => this is { Planned: not null, AlwaysValid: not null, Textbook: not null, Usual: not null };
}

/// <summary>How a rule did in the runs of a case.</summary>
/// <param name="Called">In how many runs it called a page.</param>
/// <param name="Visitors">How many visitors had come then, on average; null where it never called.</param>
public sealed record CallCount(int Called, double? Visitors)
{
    internal static CallCount Of(IEnumerable<long?> calls)
    {
        long[] visitors = [.. calls.OfType<long>()];
        return new(visitors.Length, visitors.Length == 0 ? null : visitors.Average());
    }
}

/// <summary>How each rule did in the runs of a case.</summary>
/// <param name="Foretold">Of the tests that were not over at half of their plan, how many ended in the range foretold
/// then; both 0 where a test of the case does not come to its end.</param>
public sealed record Calibrated(
    CalibrationCase Case,
    int Runs,
    CallCount Planned,
    CallCount AlwaysValid,
    CallCount Textbook,
    CallCount Usual,
    (int InRange, int Of) Foretold
);
