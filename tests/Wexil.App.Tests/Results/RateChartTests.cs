using System.Globalization;
using CsCheck;
using Wexil.App.Results;
using Wexil.Core.Results;
using Wexil.Core.Statistics;
using static Wexil.Tests.OnePhase;

namespace Wexil.App.Tests.Results;

/// <summary>The likely rate of each page, drawn.</summary>
public sealed class RateChartTests
{
    /// <summary>Less than what a drawing's two digits show.</summary>
    private const double Hair = 0.005;

    private static readonly Gen<Arm> AnyArm = Gen.Select(Gen.Long[0, 200_000], Gen.Double[0, 1])
        .Select((visitors, rate) => new Arm(visitors, (long)(visitors * rate)));

    [Fact]
    public void Whatever_the_pages_had_everything_stays_on_the_paper_and_in_order() =>
        AnyArm
            .Array[2, 8]
            .AlwaysHolds(arms =>
            {
                var chart = RateChart.From(TestResult.From(Facts(arms)), "opt-ins");
                Assert.Equal(arms.Count(arm => arm.Visitors > 0), chart.Rows.Count);
                foreach (var row in chart.Rows)
                {
                    // At a rate of nothing or all, an end of the interval is the rate itself, but for rounding.
                    Assert.InRange(row.IntervalFrom, 0, row.Rate + Hair);
                    Assert.InRange(row.IntervalUntil, row.Rate - Hair, RateChart.Width);
                    Assert.All(Points(row.Curve), point => Assert.InRange(point.X, 0, RateChart.Width));
                    Assert.All(Points(row.Curve), point => Assert.InRange(point.Y, 0, chart.Height));
                }
                Assert.Equal(chart.Rows.OrderBy(row => row.Base), chart.Rows);
                Assert.Equal(chart.Ticks.OrderBy(tick => tick.Item1), chart.Ticks);
                Assert.All(chart.Ticks, tick => Assert.InRange(tick.Item1, 0, RateChart.Width));
            });

    [Fact]
    public void A_row_says_its_rate_and_interval_in_words()
    {
        var chart = RateChart.From(TestResult.From(Facts([new(1000, 100), new(0, 0), new(1000, 150)])), "opt-ins");
        Assert.Equal(["A", "C"], chart.Rows.Select(row => row.Letter));
        Assert.Equal("A 10.0%, 8.3 to 12.0", chart.Rows[0].Words);
        Assert.True(chart.Rows[0].Rate < chart.Rows[1].Rate);
    }

    [Fact]
    public void With_nobody_there_yet_nothing_is_drawn() =>
        Assert.Empty(RateChart.From(TestResult.From(Facts([new(0, 0), new(0, 0)])), "opt-ins").Rows);

    private static IEnumerable<(double X, double Y)> Points(string curve) =>
        curve
            .Split(' ', StringSplitOptions.RemoveEmptyEntries)
            .Select(point => point.Split(','))
            .Select(point => (Number(point[0]), Number(point[1])));

    private static double Number(string written) => double.Parse(written, CultureInfo.InvariantCulture);
}
