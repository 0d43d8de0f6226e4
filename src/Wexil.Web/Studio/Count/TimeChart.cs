using Wexil.Core.Evidence;
using Wexil.Core.Funnels;
using Wexil.Core.Splits;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Count;

/// <summary>
/// The rate of each page over time: by day, or by hour for a young test, and as a running total with its 95% interval. A day without
/// visitors is a gap in the line. Conversions stand at the time of their visitor's coming.
/// </summary>
public sealed class TimeChart
{
    public const double Width = 860, Height = 250;
    private const double Left = 52, Right = 846, Top = 12, Bottom = 214;
    private static readonly TimeSpan Young = TimeSpan.FromDays(3);
    private static readonly double[] NiceSteps = [1, 2, 5, 10];

    /// <summary>A page's line, in pieces where there are gaps, and the band around it.</summary>
    public sealed record Line(string Letter, IReadOnlyList<string> Pieces, string Band, IReadOnlyList<(double X, double Y, string Words)> Dots);

    /// <summary>Where a phase began.</summary>
    public sealed record Change(double X, int Number, string Words);

    public IReadOnlyList<Line> Lines { get; private init; } = [];
    public IReadOnlyList<Change> Changes { get; private init; } = [];
    public IReadOnlyList<(double Y, string Label)> Rates { get; private init; } = [];
    public IReadOnlyList<(double X, string Label)> Times { get; private init; } = [];
    public bool IsHourly { get; private init; }

    /// <summary>Stretches in which the test stood and nobody came.</summary>
    public IReadOnlyList<(double From, double Until)> Gaps { get; private init; } = [];

    public string Words { get; private init; } = "";

    public static TimeChart? Of(TestReading reading, IReadOnlyList<(PageId Page, DateTimeOffset From, Arm Arm)> buckets, TimeZoneInfo zone, DateTimeOffset now, bool isRunning)
    {
        if (buckets.Count == 0) return null;
        var isHourly = buckets[^1].From - buckets[0].From < Young;
        DateTime Unit(DateTimeOffset moment) => TimeZoneInfo.ConvertTime(moment, zone).DateTime is var local && isHourly ? local.Date.AddHours(local.Hour) : local.Date;
        var step = isHourly ? TimeSpan.FromHours(1) : TimeSpan.FromDays(1);
        var (first, last) = (Unit(buckets[0].From), Unit(buckets[^1].From));
        var units = (int)Math.Round((last - first) / step) + 1;
        var arms = reading.Test.Pages.Select(_ => new Arm[units]).ToArray();
        foreach (var (page, from, arm) in buckets)
        {
            var index = reading.Test.Pages.TakeWhile(own => own != page).Count();
            if (index < arms.Length) arms[index][Math.Clamp((int)Math.Round((Unit(from) - first) / step), 0, units - 1)] += arm;
        }
        if (reading.Main is { Goal.LessIsBetter: true }) foreach (var own in arms) for (var i = 0; i < units; i++) own[i] = new(own[i].Visitors, own[i].Visitors - own[i].Conversions);
        if (isRunning) foreach (var own in arms) for (var i = 1; i < units; i++) own[i] += own[i - 1];

        var shown = arms.SelectMany(own => own).Where(arm => arm.Visitors > 0).OrderBy(arm => arm.Visitors).ToArray();
        // A day of three visitors says nothing, and would leave the others no room: its point stands at the edge.
        var usual = shown[shown.Length / 2].Visitors;
        shown = [.. shown.Where(arm => arm.Visitors >= usual / 4.0)];
        var (low, high) = (shown.Min(arm => arm.Rate), shown.Max(arm => arm.Rate));
        if (isRunning)
        {
            // The first hours' intervals would leave the lines no room.
            var settled = arms.Select(own => WilsonInterval.Of(own[^1])).ToArray();
            (low, high) = (Math.Min(settled.Min(own => own.Low), low), Math.Max(settled.Max(own => own.High), Math.Min(high, settled.Max(own => own.High) * 1.6)));
        }
        (low, high) = (Math.Max(0, low - (high - low) * 0.1 - 1e-4), Math.Min(1, high + (high - low) * 0.1 + 1e-4));
        double X(double unit) => units == 1 ? (Left + Right) / 2 : Left + unit / (units - 1) * (Right - Left);
        double Y(double rate) => Math.Clamp(Bottom - (rate - low) / (high - low) * (Bottom - Top), Top, Bottom);
        string Name(int unit) => (first + unit * step).ToString(isHourly ? "d MMM, HH:00" : "d MMM", System.Globalization.CultureInfo.InvariantCulture);

        var lines = arms.Select((own, i) => Draw(Mark.Letter(i), own, isRunning, X, Y, Name)).ToArray();
        var empty = Enumerable.Range(0, units).Where(unit => buckets.Count > 0 && !buckets.Any(bucket => (int)Math.Round((Unit(bucket.From) - first) / step) == unit)).ToArray();
        var phases = reading.Phases.Where(phase => phase.StartedAt <= now).Select((phase, i) => new Change(
            X(Math.Clamp((Unit(phase.StartedAt) - first) / step, 0, units - 1)), i + 1, phase.Reason)).ToArray();
        var every = Math.Max(1, (int)Math.Ceiling(units / 5.0));
        return new()
        {
            Lines = lines,
            IsHourly = isHourly,
            Changes = phases,
            Gaps = [.. empty.Select(unit => (X(unit - 0.5), X(unit + 0.5)))],
            Rates = [.. Ticks(low, high).Select(rate => (Y(rate), (rate * 100).ToString(high - low < 0.02 ? "0.0#" : "0.#", System.Globalization.CultureInfo.InvariantCulture) + "%"))],
            Times = [.. Enumerable.Range(0, units).Where(unit => unit % every == 0).Select(unit => (X(unit), Name(unit)))],
            Words = string.Join("; ", arms.Select((own, i) => $"{Mark.Letter(i)} {Show.Percent(own.Aggregate(new Arm(), (sum, arm) => isRunning ? arm : sum + arm).Rate)}")),
        };
    }

    private static Line Draw(string letter, Arm[] own, bool isRunning, Func<double, double> x, Func<double, double> y, Func<int, string> name)
    {
        var pieces = new List<string>();
        var piece = new List<string>();
        var dots = new List<(double, double, string)>();
        var (upper, lower) = (new List<string>(), new List<string>());
        for (var i = 0; i < own.Length; i++)
        {
            if (own[i].Visitors == 0)
            {
                if (piece.Count > 0) pieces.Add(string.Join(' ', piece));
                piece.Clear();
                continue;
            }
            var point = $"{Show.At(x(i))},{Show.At(y(own[i].Rate))}";
            piece.Add(point);
            if (isRunning)
            {
                var interval = WilsonInterval.Of(own[i]);
                upper.Add($"{Show.At(x(i))},{Show.At(y(interval.High))}");
                lower.Add($"{Show.At(x(i))},{Show.At(y(interval.Low))}");
            }
            else dots.Add((x(i), y(own[i].Rate), $"{letter}, {name(i)}: {Show.Count(own[i].Conversions)} of {Show.Count(own[i].Visitors)}, {Show.Percent(own[i].Rate)}"));
        }
        if (piece.Count > 0) pieces.Add(string.Join(' ', piece));
        lower.Reverse();
        return new(letter, pieces, string.Join(' ', upper.Concat(lower)), dots);
    }

    private static IEnumerable<double> Ticks(double from, double until)
    {
        var rough = Math.Max(1e-9, (until - from) / 4);
        var power = Math.Pow(10, Math.Floor(Math.Log10(rough)));
        var step = power * NiceSteps.First(nice => nice * power >= rough);
        for (var tick = Math.Ceiling(from / step) * step; tick <= until; tick += step) yield return tick;
    }
}
