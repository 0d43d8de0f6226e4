using Wexil.Core.Simulation;

namespace Wexil.Core.Tests.Simulation;

/// <summary>A part of what <c>wexil rehearse --calibrate</c> prints.</summary>
[Trait("Pace", "slow")]
public sealed class SectionsCalibrationTests
{
    // One deviation of 150 runs is 3.3 in a hundred where 80% are found, and 1.8 where 5% are.
    private const int Runs = 150;

    public static TheoryData<string> Cases => [.. SectionsCase.All.Select(what => what.Name)];

    [Theory]
    [MemberData(nameof(Cases))]
    public void Sections_alike_are_hardly_ever_called_different_and_a_better_version_is_found(string name)
    {
        var what = SectionsCase.All.Single(known => known.Name == name);
        var called = SectionsCalibration.Run(what, Runs);
        if (what.Lift == 0)
            // 5% of the runs, and not more than two deviations.
            Assert.True(called <= 0.05 * Runs + 2 * Math.Sqrt(0.05 * 0.95 * Runs), $"{called} of {Runs}");
        else
            // With as many visitors as planned, as often as a page is found: 80%, less two deviations.
            Assert.True(called >= 0.735 * Runs, $"{called} of {Runs}");
    }

    [Fact]
    public void A_run_is_the_same_for_the_same_number() =>
        Assert.Equal(
            Enumerable.Range(0, 20).Select(run => SectionsCalibration.Once(SectionsCase.All[3], run)),
            Enumerable.Range(0, 20).Select(run => SectionsCalibration.Once(SectionsCase.All[3], run))
        );
}
