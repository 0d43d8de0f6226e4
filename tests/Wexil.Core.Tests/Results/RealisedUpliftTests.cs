using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Results;

public sealed class RealisedUpliftTests
{
    [Fact]
    public void A_gain_is_the_difference_times_the_visitors_and_gains_add_up_with_less_doubt_than_their_sum()
    {
        var gain = RealisedUplift.From(0.03, new Interval(0.01, 0.06), 10_000);
        Assert.Equal((300, 100, 600), (gain.Amount, gain.Range.Low, gain.Range.High));
        var sum = gain + RealisedUplift.From(-2, new Interval(-5, 2), 75);
        Assert.Equal(150, sum.Amount, 1e-9);
        Assert.Equal(150 - Math.Sqrt(200 * 200 + 225 * 225), sum.Range.Low, 1e-9);
        Assert.Equal(150 + Math.Sqrt(300.0 * 300 + 300 * 300), sum.Range.High, 1e-9);
        Assert.Equal(default, RealisedUplift.From(0.03, new Interval(0.01, 0.06), 0));
    }

    [Fact]
    public void The_range_of_a_sum_holds_the_truth_as_often_as_that_of_one()
    {
        // Ten tests whose differences are off by a normal error of 1, with intervals of 95%.
        var random = new Random(8);
        double Error() =>
            Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
        var held = Enumerable
            .Range(0, 4000)
            .Count(_ =>
            {
                var sum = Enumerable
                    .Range(0, 10)
                    .Select(_ => 5 + Error())
                    .Select(seen => RealisedUplift.From(seen, new Interval(seen - 1.96, seen + 1.96), 100))
                    .Aggregate((a, b) => a + b);
                return sum.Range.Contains(5000);
            });
        Assert.InRange(held / 4000.0, 0.935, 0.965);
    }
}
