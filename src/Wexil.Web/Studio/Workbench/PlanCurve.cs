using System.Globalization;
using Wexil.App.Wording;
using Wexil.Core.Statistics;

namespace Wexil.Web.Studio.Workbench;

/// <summary>
/// How many days a test takes by the lift worth finding, drawn; the days on a scale of decades, since they run from one
/// to thousands.
/// </summary>
public sealed class PlanCurve
{
    public const double Width = 860,
        Height = 280;
    public const int MinLift = 2,
        MaxLift = 100;
    private const double Left = 96,
        Right = 840,
        Top = 14,
        Bottom = 236,
        MinDays = 1,
        MaxDays = 3650;
    private static readonly int[] Marks = [5, 10, 20, 30, 50, 75, 100];
    private static readonly (double Days, string Words)[] Spans =
    [
        (7, "a week"),
        (30, "a month"),
        (91, "3 months"),
        (365, "a year"),
    ];
    private readonly double _rate,
        _perDay,
        _power;
    private readonly int _pages;

    /// <param name="rate">Strictly between 0 and 1.</param>
    /// <param name="perDay">Visitors a day who take part, above 0.</param>
    public PlanCurve(double rate, double perDay, int pages, double power)
    {
        (_rate, _perDay, _pages, _power) = (rate, perDay, pages, power);
        Points = [.. Possible.Select(lift => (X(lift), Y(Days(lift))))];
        DayMarks = [.. Spans.Select(span => (Y(span.Days), span.Words))];
        Lifts = [.. Marks.Select(lift => (X(lift), $"{lift}%"))];
    }

    public IReadOnlyList<(double X, double Y)> Points { get; }
    public IReadOnlyList<(double Y, string Label)> DayMarks { get; }
    public IReadOnlyList<(double X, string Label)> Lifts { get; }

    /// <summary>The largest lift that is drawn, in percent: no page converts more than all.</summary>
    public int Highest => (int)Math.Min(MaxLift, Planner.HighestLift(_rate) * 100);

    private IEnumerable<int> Possible => Enumerable.Range(MinLift, Math.Max(0, Highest - MinLift + 1));

    public string Line => string.Join(' ', Points.Select(point => $"{Format.At(point.X)},{Format.At(point.Y)}"));

    /// <summary>For the module: by lift in percent, the place and what it means.</summary>
    public string Data =>
        string.Join(
            ';',
            Possible.Select(lift =>
                string.Create(
                    CultureInfo.InvariantCulture,
                    $"{lift}|{Format.At(X(lift))}|{Format.At(Y(Days(lift)))}|{Words(lift)}"
                )
            )
        );

    public (double X, double Y) At(double lift) => (X(lift), Y(Days(lift)));

    /// <param name="lift">In percent.</param>
    public double Visitors(double lift) => Planner.PlannedTotal(_rate, lift / 100, _pages, _power);

    public double Days(double lift) => Visitors(lift) / _perDay;

    public string Words(double lift) =>
        $"A lift of {Locale.Current.Percent(Locale.Current.Brief(lift, 1))} takes about "
        + $"{Format.Count(Math.Ceiling(Visitors(lift) / 100) * 100)} visitors in total: {InWords(Days(lift))}.";

    private static string InWords(double days) =>
        days < 60 ? Format.Count((long)Math.Ceiling(days), "day", "days")
        : days < 730 ? $"{Format.Count(days / 30.4)} months"
        : $"{Format.Count(days / 365)} years";

    private static double X(double lift) => Left + (lift - MinLift) / (MaxLift - MinLift) * (Right - Left);

    private static double Y(double days) =>
        Bottom - Math.Log(Math.Clamp(days, MinDays, MaxDays) / MinDays) / Math.Log(MaxDays / MinDays) * (Bottom - Top);
}
