using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.Statistics;
using Wexil.Store;

namespace Wexil.Web.Studio.Count;

/// <summary>
/// Earned per visitor of each page, drawn: the mean and its 95% interval by the normal approximation, on one scale.
/// </summary>
public sealed class MeanChart
{
    public const double Width = 860,
        RowHeight = 46,
        Top = 8;
    private const double Left = 60,
        Right = 830;

    /// <summary>A page, in the chart’s own units.</summary>
    public sealed record Row(string Letter, double Base, double From, double Until, double Mean, string Words);

    public IReadOnlyList<Row> Rows { get; }
    public IReadOnlyList<(double X, string Label)> Ticks { get; }
    public double Height { get; }

    /// <param name="result">The figures that the verdict rests on; null while nobody bought anything.</param>
    public MeanChart(RevenueResult? result, IReadOnlyList<PageMoney> money, Currency currency)
    {
        var pages = money.Select((page, i) => WithInterval(result?.Pages[i].Standard ?? page.Revenue)).ToArray();
        var low = Math.Min(0, pages.Min(page => page.Low));
        var high = Math.Max(low + 1, pages.Max(page => page.High) * 1.05);
        double X(double value) => Left + (value - low) / (high - low) * (Right - Left);
        Rows =
        [
            .. pages.Select(
                (page, i) =>
                    new Row(
                        PageLetter.At(i),
                        Top + (i + 1) * RowHeight - 14,
                        X(page.Low),
                        X(page.High),
                        X(page.Revenue.Mean),
                        $"{PageLetter.At(i)} {currency.Show((decimal)page.Revenue.Mean)}, "
                            + $"{currency.Show((decimal)page.Low)} to {currency.Show((decimal)page.High)}"
                    )
            ),
        ];
        Height = Top + Rows.Count * RowHeight + 44;
        Ticks =
        [
            .. Enumerable
                .Range(0, 6)
                .Select(i => low + (high - low) * i / 5)
                .Select(value => (X(value), currency.Show((decimal)value))),
        ];
    }

    private static (RevenueSample Revenue, double Low, double High) WithInterval(RevenueSample revenue)
    {
        var half = revenue.Visitors == 0 ? 0 : Confidence.Z95 * Math.Sqrt(revenue.Variance / revenue.Visitors);
        return (revenue, revenue.Mean - half, revenue.Mean + half);
    }
}
