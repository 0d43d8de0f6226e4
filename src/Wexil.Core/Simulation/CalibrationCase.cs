using Wexil.Core.Statistics;

namespace Wexil.Core.Simulation;

/// <summary>
/// A kind of test that is simulated many times over, to see how often rules of deciding are wrong, and how often they
/// find what is there.
/// </summary>
/// <param name="Rate">The share of the control's visitors who convert, averaged over the week.</param>
/// <param name="Lift">By how much the last page converts better; 0 where all pages are alike.</param>
/// <param name="Factor">How many times the textbook's sample comes.</param>
/// <param name="IsMoney">Judged by what visitors bring, of whom one in forty brings fifty times as much.</param>
/// <param name="Shifts">Weights change midway, while the rate moves.</param>
public sealed record CalibrationCase(
    string Name,
    int Pages,
    double Rate,
    double Lift,
    double Factor,
    bool IsMoney = false,
    bool Shifts = false
)
{
    /// <summary>The smallest lift worth finding, which is what the last page has where it is better.</summary>
    public const double SmallestLift = 0.2;

    /// <summary>How long each simulated test runs.</summary>
    public const int Days = 28;

    /// <summary>The cases that are printed, in order.</summary>
    public static IReadOnlyList<CalibrationCase> All { get; } =
    [
        .. new[] { 0.005, 0.03, 0.3 }.SelectMany(rate =>
            new[] { 2, 4 }.Select(pages => new CalibrationCase(
                $"{pages} pages alike, {rate * 100:0.#}%",
                pages,
                rate,
                0,
                pages == 2 ? 1.6 : 2
            ))
        ),
        new("2 pages alike, weights shifted", 2, 0.03, 0, 1.6, Shifts: true),
        new("4 pages alike, weights shifted", 4, 0.03, 0, 2, Shifts: true),
        new("2 pages alike, by money", 2, 0.03, 0, 3, IsMoney: true),
        new("4 pages alike, by money", 4, 0.03, 0, 3, IsMoney: true),
        .. new[] { 0.005, 0.03, 0.3 }.Select(rate => new CalibrationCase(
            $"2 pages, one {SmallestLift * 100:0}% better, {rate * 100:0.#}%",
            2,
            rate,
            SmallestLift,
            1.6
        )),
        .. new[] { 0.005, 0.03, 0.3 }.Select(rate => new CalibrationCase(
            $"4 pages, one {SmallestLift * 100:0}% better, {rate * 100:0.#}%",
            4,
            rate,
            SmallestLift,
            2
        )),
    ];

    /// <summary>Visitors of a page over the whole test.</summary>
    public double VisitorsPerPage => Planner.VisitorsPerPage(Rate, Rate * (1 + SmallestLift)) * Factor;
}

/// <summary>Which rules called a winner, or a loser, at some look of a run.</summary>
public readonly record struct Calls(bool PeekSafe, bool Textbook, bool Usual);

/// <summary>How many runs of a case each rule called.</summary>
public sealed record Calibrated(CalibrationCase Case, int Runs, int PeekSafe, int Textbook, int Usual);
