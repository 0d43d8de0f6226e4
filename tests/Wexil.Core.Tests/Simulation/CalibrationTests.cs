using Wexil.Core.Simulation;

namespace Wexil.Core.Tests.Simulation;

/// <summary>
/// The promise itself: looked at every hour, pages that are alike are called in at most 5% of tests, and a page that is
/// better is found.
/// </summary>
public sealed class CalibrationTests
{
    private const int Runs = 800;

    public static TheoryData<string> Cases => [.. CalibrationCase.All.Select(what => what.Name)];

    [Theory]
    [MemberData(nameof(Cases))]
    public void Hourly_looks_are_safe_and_find_what_is_there(string name)
    {
        var what = CalibrationCase.All.Single(known => known.Name == name);
        var result = Calibration.Run(what, Runs);
        if (what.Lift > 0)
            Assert.InRange(result.PeekSafe, Runs * 75 / 100, Runs);
        else
            Assert.InRange(result.PeekSafe, 0, Runs * 5 / 100);
        // The rules that people use are the known bad examples: they call pages that are alike.
        if (what.Lift == 0)
            Assert.True(
                result.Textbook > Runs / 4 && result.Usual > Runs / 10,
                $"{result.Textbook} and {result.Usual} of {Runs}"
            );
    }

    [Fact]
    public void A_run_is_the_same_each_time() =>
        Assert.Equal(Calibration.Once(CalibrationCase.All[8], 17), Calibration.Once(CalibrationCase.All[8], 17));
}
