using Wexil.Core.Simulation;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Simulation;

public sealed class SimulatedCrowdTests
{
    private static readonly DateTimeOffset From = new(2026, 11, 2, 0, 0, 0, TimeSpan.Zero);

    [Fact]
    public void The_same_seed_gives_the_same_crowd_and_another_seed_another()
    {
        DateTimeOffset[] Crowd(int seed) => [.. new SimulatedCrowd(seed).Arrivals(From, From.AddDays(3), 200)];
        Assert.Equal(Crowd(1), Crowd(1));
        Assert.NotEqual(Crowd(1), Crowd(2));
    }

    [Theory]
    [InlineData(40)]
    [InlineData(5_000)]
    public void Visitors_come_in_order_at_about_the_rate_asked_for_and_sleep_at_night(double perDay)
    {
        const int days = 28;
        DateTimeOffset[] crowd = [.. new SimulatedCrowd(3).Arrivals(From, From.AddDays(days), perDay)];
        Assert.Equal(crowd.Order(), crowd);
        Assert.All(crowd, at => Assert.InRange(at, From, From.AddDays(days)));
        var expected = perDay * days;
        Assert.InRange(
            crowd.Length,
            expected * 0.98 - 4 * Math.Sqrt(expected),
            expected * 1.02 + 4 * Math.Sqrt(expected)
        );
        Assert.True(crowd.Count(at => at.Hour is 2 or 3) * 4 < crowd.Count(at => at.Hour is 19 or 20));
    }

    [Fact]
    public void What_they_do_has_the_true_rate_within_what_chance_allows()
    {
        var crowd = new SimulatedCrowd(4);
        var arm = new Arm(50_000, Enumerable.Range(0, 50_000).Count(_ => crowd.Does(0.07)));
        Assert.True(WilsonInterval.Compute(arm, z: 4).Contains(0.07));
        Assert.All(Enumerable.Range(0, 1000), _ =>
            Assert.InRange(crowd.Hesitates(), TimeSpan.FromSeconds(20), TimeSpan.FromHours(1))
        );
    }
}
