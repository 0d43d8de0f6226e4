using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>Conversions differ by weekday, and the test has seen some weekdays more often than others.</summary>
/// <param name="Days">How long it has run.</param>
/// <param name="More">Full days until full weeks have passed.</param>
public sealed record WeekCheck(double Days, int More, (DayOfWeek Day, Arm Arm) Best, (DayOfWeek Day, Arm Arm) Worst)
{
    /// <summary>Looked at again and again, so below the usual 5%.</summary>
    public const double MaxP = 0.01;

    /// <summary>A weekday with fewer conversions is not compared.</summary>
    public const int MinConversions = 10;

    private const int DaysOfWeek = 7;

    /// <summary>
    /// Pearson's chi-square test of the rates by weekday. Null where they do not differ by more than chance, and where
    /// full weeks have passed, give or take a day.
    /// </summary>
    /// <param name="byDay">What all pages together had, by the weekday of the visitors' coming.</param>
    /// <param name="days">Since the start, 0 or more.</param>
    public static WeekCheck? Find(IReadOnlyDictionary<DayOfWeek, Arm> byDay, double days)
    {
        var begun = days % DaysOfWeek;
        if (days >= DaysOfWeek && begun < 1)
            return null;
        var known = byDay.Where(day => day.Value.Conversions >= MinConversions).ToArray();
        if (known.Length < 2 || P([.. known.Select(day => day.Value)]) > MaxP)
            return null;
        var (best, worst) = (known.MaxBy(day => day.Value.Rate), known.MinBy(day => day.Value.Rate));
        return new(days, (int)Math.Ceiling(DaysOfWeek - begun), (best.Key, best.Value), (worst.Key, worst.Value));
    }

    private static double P(Arm[] days)
    {
        var all = days.Aggregate(new Arm(), (sum, day) => sum + day);
        var variance = all.Rate * (1 - all.Rate);
        if (variance == 0)
            return 1;
        var chiSquare = days.Sum(day =>
            Math.Pow(day.Conversions - day.Visitors * all.Rate, 2) / (day.Visitors * variance)
        );
        return Confidence.ChiSquareP(chiSquare, days.Length - 1);
    }
}
