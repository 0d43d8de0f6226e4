using Wexil.Core.Simulation;

namespace Wexil.Core.Tests.Simulation;

/// <summary>What <c>wexil rehearse --calibrate</c> fails for.</summary>
public sealed class CalibrationPromiseTests
{
    // Of a thousand, 5% are 50 give or take 6.9, 70% are 700 give or take 14.5, and 75% are 750 give or take 13.7.
    [Theory]
    [InlineData("2 pages alike, 3%", 70, true)]
    [InlineData("2 pages alike, 3%", 71, false)]
    [InlineData("4 pages, one 20% better, 3%, x1.3", 657, true)]
    [InlineData("4 pages, one 20% better, 3%, x1.3", 656, false)]
    [InlineData("2 pages, one 20% better, 3%, x1.6", 709, true)]
    [InlineData("2 pages, one 20% better, 3%, x1.6", 708, false)]
    public void A_promise_is_broken_beyond_what_chance_does(string name, int called, bool isKept) =>
        Assert.Equal(isKept, CalibrationCase.All.Single(what => what.Name == name).Promise!.IsKept(called, runs: 1000));

    [Fact]
    public void Of_other_lifts_than_the_planned_one_nothing_is_promised() =>
        Assert.All(CalibrationCase.All, what =>
            Assert.Equal(what.Lift is 0 or CalibrationCase.SmallestLift, what.Promise is not null)
        );
}
