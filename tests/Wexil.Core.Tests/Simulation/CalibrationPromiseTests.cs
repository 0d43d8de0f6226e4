using Wexil.Core.Simulation;

namespace Wexil.Core.Tests.Simulation;

/// <summary>What <c>wexil rehearse --calibrate</c> fails for.</summary>
public sealed class CalibrationPromiseTests
{
    // Three deviations of a thousand runs are 20.7 at 5%, 39.3 at 78%, and 36.4 at 82%.
    [Theory]
    [InlineData("2 pages alike, 3%", 70, true)]
    [InlineData("2 pages alike, 3%", 71, false)]
    [InlineData("4 pages, one 20% better, 3%, x1.5", 741, true)]
    [InlineData("4 pages, one 20% better, 3%, x1.5", 740, false)]
    [InlineData("4 pages, one 20% better, 3%, x1.5", 856, true)]
    [InlineData("4 pages, one 20% better, 3%, x1.5", 857, false)]
    [InlineData("2 pages, one 20% better, 3%, x1.6", 741, true)]
    [InlineData("2 pages, one 20% better, 3%, x1.6", 740, false)]
    [InlineData("2 pages, one 20% better, 3%, x1.6", 1000, true)]
    public void A_promise_is_broken_beyond_what_chance_does(string name, int called, bool isKept) =>
        Assert.Equal(isKept, CalibrationCase.All.Single(what => what.Name == name).Promise!.IsKept(called, runs: 1000));

    [Fact]
    public void Of_other_lifts_than_the_planned_one_nothing_is_promised() =>
        Assert.All(CalibrationCase.All, what =>
            Assert.Equal(what.Lift is 0 or CalibrationCase.SmallestLift, what.Promise is not null)
        );
}
