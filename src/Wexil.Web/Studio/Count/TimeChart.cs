using System.Globalization;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Store;

namespace Wexil.Web.Studio.Count;

/// <summary>
/// The rate of each page over time, or what its visitors brought: by day, or by hour for a young test, and as a running
/// total with its 95% interval. A day without visitors is a gap in the line. Conversions and money stand at the time of
/// their visitor's coming.
/// </summary>
public sealed class TimeChart
{
    public const double Width = 860,
        Height = 250;
    private const double Left = 52,
        Right = 846,
        Top = 12,
        Bottom = 214;
    private static readonly double[] NiceSteps = [1, 2, 5, 10];

    /// <summary>A page's line, in pieces where there are gaps, and the band around it.</summary>
    public sealed record Line(
        string Letter,
        IReadOnlyList<string> Pieces,
        string Band,
        IReadOnlyList<(double X, double Y, string Words)> Dots
    );

    /// <summary>Where a phase began; weights that follow the evidence are drawn by themselves.</summary>
    public sealed record Change(double X, int Number, string Words);

    public IReadOnlyList<Line> Lines { get; private init; } = [];
    public IReadOnlyList<Change> Changes { get; private init; } = [];
    public IReadOnlyList<(double Y, string Label)> Values { get; private init; } = [];
    public IReadOnlyList<(double X, string Label)> Times { get; private init; } = [];
    public bool IsHourly { get; private init; }

    /// <summary>Stretches in which the test stood and nobody came.</summary>
    public IReadOnlyList<(double From, double Until)> Gaps { get; private init; } = [];

    public string Words { get; private init; } = "";

    /// <param name="money">The owner's currency, to show what each visitor brought; null to show the rate.</param>
    public static TimeChart? From(
        TestReading reading,
        IReadOnlyList<PageBucket> buckets,
        TimeZoneInfo zone,
        DateTimeOffset now,
        bool isRunning,
        Currency? money
    )
    {
        if (buckets.Count == 0)
            return null;
        var units = new TimeUnits(buckets[0].From, buckets[^1].From, zone);
        var points = isRunning ? Running(reading, buckets, units, money) : Each(reading, buckets, units, money);
        var (low, high) = Bounds(points, isRunning);
        double X(double unit) =>
            units.Count == 1 ? (Left + Right) / 2 : Left + unit / (units.Count - 1) * (Right - Left);
        double Y(double value) => Math.Clamp(Bottom - (value - low) / (high - low) * (Bottom - Top), Top, Bottom);
        var came = buckets.Select(bucket => units.At(bucket.From)).ToHashSet();
        var all = Enumerable.Range(0, units.Count);
        var every = Math.Max(1, (int)Math.Ceiling(units.Count / 5.0));
        return new()
        {
            Lines = [.. points.Select((own, i) => Draw(PageLetter.At(i), own, isRunning, X, Y, units.Name))],
            IsHourly = units.IsHourly,
            Changes =
            [
                .. reading
                    .Phases.Where(phase => phase.StartedAt <= now && !IsAdaptive(phase))
                    .Select(
                        (phase, i) =>
                            new Change(X(units.PlaceOf(phase.StartedAt)), i + 1, StoredWording.What(phase.Reason))
                    ),
            ],
            Gaps = [.. all.Where(unit => !came.Contains(unit)).Select(unit => (X(unit - 0.5), X(unit + 0.5)))],
            Values = [.. Ticks(low, high).Select(value => (Y(value), Label(value, high - low, money)))],
            Times = [.. all.Where(unit => unit % every == 0).Select(unit => (X(unit), units.Name(unit)))],
            Words = string.Join("; ", points.Select((own, i) => $"{PageLetter.At(i)} {Newest(own).Words}")),
        };
    }

    private static bool IsAdaptive(Phase phase) =>
        phase.Reason.StartsWith(AdaptiveWeights.Reason, StringComparison.Ordinal);

    private static Point Newest(Point[] own) => Array.FindLast(own, point => point.Visitors > 0);

    private static string Label(double value, double range, Currency? money) =>
        money is not null
            ? money.Show((decimal)value)
            : Locale.Current.Percent(Locale.Current.Brief(value * 100, range < 0.02 ? 2 : 1));

    // Where less is better, those count who did not.
    private static Arm Counted(TestReading reading, Arm arm) =>
        reading.Main is { Goal.LessIsBetter: true } ? new(arm.Visitors, arm.Visitors - arm.Conversions) : arm;

    private static RevenueSample Revenue(PageBucket bucket) => new(bucket.Arm.Visitors, bucket.Earned, bucket.Squares);

    /// <summary>The buckets of a test's pages, and which page each is of.</summary>
    private static IEnumerable<(int Page, PageBucket Bucket)> Own(
        TestReading reading,
        IEnumerable<PageBucket> buckets
    ) =>
        buckets
            .Select(bucket => (reading.Test.Pages.TakeWhile(own => own != bucket.Page).Count(), bucket))
            .Where(row => row.Item1 < reading.Test.Pages.Count);

    /// <summary>What each unit had by itself.</summary>
    private static Point[][] Each(
        TestReading reading,
        IReadOnlyList<PageBucket> buckets,
        TimeUnits units,
        Currency? money
    )
    {
        var sums = reading.Test.Pages.Select(_ => new (Arm Arm, RevenueSample Revenue)[units.Count]).ToArray();
        foreach (var (page, bucket) in Own(reading, buckets))
        {
            ref var sum = ref sums[page][units.At(bucket.From)];
            sum = (sum.Arm + Counted(reading, bucket.Arm), sum.Revenue + Revenue(bucket));
        }
        Point At((Arm Arm, RevenueSample Revenue) sum) =>
            money is null ? Point.From(sum.Arm) : Point.From(sum.Revenue, money);
        return [.. sums.Select(own => own.Select(At).ToArray())];
    }

    /// <summary>
    /// The running totals. Where the split was changed they are standardized over the phases, as every other figure of
    /// the test is, so that the last point is the rate in the table.
    /// </summary>
    private static Point[][] Running(
        TestReading reading,
        IReadOnlyList<PageBucket> buckets,
        TimeUnits units,
        Currency? money
    )
    {
        var pages = reading.Test.Pages.Count;
        var arms = reading.Phases.Select(_ => new Arm[pages]).ToArray();
        var revenue = reading.Phases.Select(_ => new RevenueSample[pages]).ToArray();
        var points = reading.Test.Pages.Select(_ => new Point[units.Count]).ToArray();
        var byUnit = Own(reading, buckets).ToLookup(row => units.At(row.Bucket.From));
        for (var unit = 0; unit < units.Count; unit++)
        {
            foreach (var (page, bucket) in byUnit[unit])
            {
                var phase = Math.Max(0, reading.Phases.Count(started => started.StartedAt <= bucket.From) - 1);
                arms[phase][page] += Counted(reading, bucket.Arm);
                revenue[phase][page] += Revenue(bucket);
            }
            var now = money is null
                ? Rates(arms, reading.Result.Facts.Control)
                : Means(revenue, reading.Result.Facts.Control, money);
            for (var page = 0; page < pages; page++)
                points[page][unit] = now[page];
        }
        return points;
    }

    private static Point[] Rates(Arm[][] arms, int control)
    {
        Estimate? Against(int page) =>
            page == control
                ? null
                : Phases.Difference(arms.Select(phase => new PhasePair(phase[control], phase[page])));
        var pages = Enumerable.Range(0, arms[0].Length);
        var rates = PhaseStandardization.Rates(arms, control, [.. pages.Select(Against)]);
        Arm Total(int page) => arms.Aggregate(new Arm(), (sum, phase) => sum + phase[page]);
        return [.. pages.Select(page => Point.From(Total(page), rates[page]))];
    }

    private static Point[] Means(RevenueSample[][] revenue, int control, Currency money)
    {
        Estimate? Against(int page) =>
            page == control ? null : Phases.DifferenceOfMeans(revenue.Select(phase => (phase[control], phase[page])));
        var pages = Enumerable.Range(0, revenue[0].Length);
        var means = PhaseStandardization.Means(revenue, control, [.. pages.Select(Against)]);
        return [.. means.Select(mean => Point.From(mean, money))];
    }

    /// <summary>
    /// What the drawing has room for: from the lowest to the highest, without points of hardly any visitors.
    /// </summary>
    private static (double Low, double High) Bounds(Point[][] points, bool isRunning)
    {
        var shown = points
            .SelectMany(own => own)
            .Where(point => point.Visitors > 0)
            .OrderBy(point => point.Visitors)
            .ToArray();
        // A day of three visitors says nothing, and would leave the others no room: its point stands at the edge.
        var usual = shown[shown.Length / 2].Visitors;
        shown = [.. shown.Where(point => point.Visitors >= usual / 4.0)];
        var (low, high) = (shown.Min(point => point.Value), shown.Max(point => point.Value));
        if (isRunning)
        {
            // The first hours' intervals would leave the lines no room.
            var settled = points.Select(own => own[^1]).Where(point => point.Visitors > 0).ToArray();
            (low, high) = (
                Math.Min(settled.Min(own => own.Low), low),
                Math.Max(settled.Max(own => own.High), Math.Min(high, settled.Max(own => own.High) * 1.6))
            );
        }
        var most = points.SelectMany(own => own).Max(point => point.Most);
        var room = (high - low) * 0.1 + most * 1e-4;
        return (Math.Max(0, low - room), Math.Min(most, high + room));
    }

    private static Line Draw(
        string letter,
        Point[] own,
        bool isRunning,
        Func<double, double> x,
        Func<double, double> y,
        Func<int, string> name
    )
    {
        var pieces = new List<string>();
        var piece = new List<string>();
        var dots = new List<(double, double, string)>();
        var (upper, lower) = (new List<string>(), new List<string>());
        for (var i = 0; i < own.Length; i++)
        {
            if (own[i].Visitors == 0)
            {
                if (piece.Count > 0)
                    pieces.Add(string.Join(' ', piece));
                piece.Clear();
                continue;
            }
            piece.Add($"{Format.At(x(i))},{Format.At(y(own[i].Value))}");
            if (isRunning)
            {
                upper.Add($"{Format.At(x(i))},{Format.At(y(own[i].High))}");
                lower.Add($"{Format.At(x(i))},{Format.At(y(own[i].Low))}");
            }
            else
                dots.Add((x(i), y(own[i].Value), $"{letter}, {name(i)}: {own[i].Words}"));
        }
        if (piece.Count > 0)
            pieces.Add(string.Join(' ', piece));
        lower.Reverse();
        return new(letter, pieces, string.Join(' ', upper.Concat(lower)), dots);
    }

    /// <summary>What a page had in a unit of time, with its 95% interval.</summary>
    /// <param name="Most">What the value can be at most.</param>
    private readonly record struct Point(
        long Visitors,
        double Value,
        double Low,
        double High,
        double Most,
        string Words
    )
    {
        public static Point From(Arm arm) => From(arm, StandardRate.From(arm));

        /// <param name="rate">The rate that is drawn; that of the sums, unless the split was changed.</param>
        public static Point From(Arm arm, StandardRate rate)
        {
            if (arm.Visitors == 0)
                return default;
            var interval = WilsonInterval.Compute(rate);
            return new(
                arm.Visitors,
                rate.Rate,
                interval.Low,
                interval.High,
                1,
                $"{Format.Count(arm.Conversions)} of {Format.Count(arm.Visitors)}, {Format.Percent(rate.Rate)}"
            );
        }

        public static Point From(RevenueSample revenue, Currency currency)
        {
            if (revenue.Visitors == 0)
                return default;
            var half = Confidence.Z95 * Math.Sqrt(revenue.Variance / revenue.Visitors);
            var most = Math.Max(1, revenue.Mean + half) * 2;
            return new(
                revenue.Visitors,
                revenue.Mean,
                revenue.Mean - half,
                revenue.Mean + half,
                most,
                $"{currency.Show((decimal)revenue.Sum)} from "
                    + $"{Format.Count(revenue.Visitors, "visitor", "visitors")}, "
                    + $"{currency.Show((decimal)revenue.Mean)} each"
            );
        }
    }

    private static IEnumerable<double> Ticks(double from, double until)
    {
        var rough = Math.Max(1e-9, (until - from) / 4);
        var power = Math.Pow(10, Math.Floor(Math.Log10(rough)));
        var step = power * NiceSteps.First(nice => nice * power >= rough);
        for (var tick = Math.Ceiling(from / step) * step; tick <= until; tick += step)
            yield return tick;
    }
}
