using Wexil.App.Wording;
using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.App.Results;

/// <summary>
/// The likely rate of each page, drawn: the density of the rate, its 95% interval and the rate itself on one scale.
/// </summary>
public sealed class RateChart
{
    /// <summary>Sizes of the drawing, in its own units.</summary>
    public const double Width = 860,
        RowHeight = 62,
        Top = 8;
    private const double Left = 60,
        Right = 830,
        DensityHeight = 48;
    private static readonly int[] NiceSteps = [1, 2, 5, 10];
    private readonly double _from,
        _until;

    /// <summary>One page’s curve, interval and rate.</summary>
    public sealed record Row(
        string Letter,
        double Base,
        string Curve,
        double IntervalFrom,
        double IntervalUntil,
        double Rate,
        string Words
    );

    private RateChart(TestResult result, string many)
    {
        Many = many;
        var shown = result.Pages.Where(page => page.Rate is not null).ToArray();
        var densities = shown.Select(page => page.Density()).ToArray();
        _from = shown.Length == 0 ? 0 : densities.Min(density => Edge(density, 0.0005));
        _until = shown.Length == 0 ? 1 : densities.Max(density => Edge(density, 0.9995));
        var highest = shown.Length == 0 ? 1 : densities.Max(density => density.Density.Max());
        Rows =
        [
            .. shown.Select(
                (page, i) =>
                {
                    var line = Top + (i + 1) * RowHeight;
                    var rate = page.Rate!.Value;
                    return new Row(
                        page.Page.Letter,
                        line,
                        Curve(densities[i], line, highest),
                        At(rate.Low),
                        At(rate.High),
                        At(page.Standard.Rate),
                        $"{page.Page.Letter} {Format.Percent(page.Standard.Rate)}, {Format.Range(rate)}"
                    );
                }
            ),
        ];
        Height = Top + Math.Max(1, Rows.Count) * RowHeight + 44;
        Ticks = [.. NiceTicks(_from, _until).Select(tick => (At(tick), Label(tick)))];
    }

    /// <summary>What conversions are called.</summary>
    public string Many { get; }

    /// <summary>In the drawing’s own units.</summary>
    public double Height { get; }

    /// <summary>By page, those with visitors only.</summary>
    public IReadOnlyList<Row> Rows { get; }

    /// <summary>Where a rate is written below, and as what.</summary>
    public IReadOnlyList<(double Place, string Label)> Ticks { get; }

    /// <summary>Draws a result; with nobody there yet it has no rows.</summary>
    public static RateChart From(TestResult result, string many) => new(result, many);

    private double At(double rate) => Left + (rate - _from) / (_until - _from) * (Right - Left);

    private string Curve(RatePosterior density, double line, double highest)
    {
        // All curves have the same area: who knows more stands taller. A floor keeps the flattest visible.
        var scale = DensityHeight / Math.Max(highest, 1e-12);
        var own = density.Density.Max() * scale;
        if (own < 10)
            scale *= 10 / own;
        const int points = 90;
        var (from, until) = (Math.Max(_from, density.Low), Math.Min(_until, density.High));
        return string.Join(
            ' ',
            Enumerable
                .Range(0, points + 1)
                .Select(i =>
                {
                    var rate = from + (until - from) * i / points;
                    return $"{Format.At(At(rate))},{Format.At(line - 4 - density.DensityAt(rate) * scale)}";
                })
        );
    }

    private static double Edge(RatePosterior density, double chance)
    {
        double low = density.Low,
            high = density.High;
        for (var i = 0; i < 40; i++)
        {
            var middle = (low + high) / 2;
            if (density.CumulativeAt(middle) < chance)
                low = middle;
            else
                high = middle;
        }
        return (low + high) / 2;
    }

    private static IEnumerable<double> NiceTicks(double from, double until)
    {
        var rough = (until - from) / 7;
        var power = Math.Pow(10, Math.Floor(Math.Log10(rough)));
        var step = power * NiceSteps.First(nice => nice * power >= rough);
        for (var tick = Math.Ceiling(from / step) * step; tick <= until; tick += step)
            yield return tick;
    }

    private string Label(double tick) =>
        Locale.Current.Percent(Locale.Current.Brief(tick * 100, _until - _from < 0.02 ? 2 : 1));
}
