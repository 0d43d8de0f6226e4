using Wexil.Core.Simulation;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Simulation;

/// <summary>
/// The promise itself: looked at every hour, pages that are alike are called in at most 5% of tests, and a page that is
/// better is found as often as by the textbook's single look. A thousand runs a line, and the exact figures, come from
/// <c>wexil rehearse --calibrate</c>; here are as many as it takes to tell the rule from a bad one.
/// </summary>
[Trait("Pace", "slow")]
public sealed class CalibrationTests
{
    // A rule that is wrong in 4% of tests calls 16 of 400, give or take 3.9; one that is wrong in 10% calls 40, give or
    // take 6. The line between them, 7%, is 3 deviations from the one and 2 from the other.
    private const int Runs = 400,
        Wrong = 7;

    // A rule that finds 80% finds 320 of 400, give or take 8; the textbook's sample finds 74%: 296, give or take 8.8.
    // The line between them, 77%, is 1.4 deviations from either.
    private const int RunsOfBetter = 400,
        Found = 77;

    // What is foretold is right in 86% and more of the tests that are half done.
    private const int InRange = 80;

    public static TheoryData<string> Alike => Named(what => what.Lift == 0 && !what.Leans);

    public static TheoryData<string> AsPlanned =>
        Named(what => what.Lift == CalibrationCase.SmallestLift && what.Factor != 1.6 && !what.IsMoney);

    public static TheoryData<string> Longer =>
        Named(what => what is { Lift: CalibrationCase.SmallestLift, Factor: 1.6 });

    [Theory]
    [MemberData(nameof(Alike))]
    public void Pages_that_are_alike_are_called_in_at_most_a_twentieth_of_tests(string name)
    {
        var result = Calibration.Run(Find(name), Runs);
        Assert.InRange(result.Planned.Called, 0, Runs * Wrong / 100);
        Assert.InRange(result.AlwaysValid.Called, 0, Runs * Wrong / 100);
        Foretells(result);
        // The rules that people use are the known bad examples.
        Assert.True(
            result.Textbook.Called > Runs / 4 && result.Usual.Called > Runs / 10,
            $"{result.Textbook} and {result.Usual} of {Runs}"
        );
    }

    [Theory]
    [InlineData(2)]
    [InlineData(4)]
    public void So_they_are_where_weights_follow_the_evidence(int pages)
    {
        const int runs = 60;
        var result = Calibration.Run(CalibrationCase.All.Single(what => what.Leans && what.Pages == pages), runs);
        Assert.InRange(result.Planned.Called, 0, runs * 8 / 100);
    }

    [Theory]
    [MemberData(nameof(AsPlanned))]
    public void A_page_as_good_as_planned_is_found_in_the_visitors_planned(string name)
    {
        var result = Calibration.Run(Find(name), RunsOfBetter);
        Assert.InRange(result.Planned.Called, RunsOfBetter * Found / 100, RunsOfBetter);
        // Not in many more either: the chance told is the chance had.
        Assert.InRange(result.Planned.Called, 0, RunsOfBetter * 86 / 100);
        // Without a plan, in hardly more than half.
        Assert.InRange(result.AlwaysValid.Called, 0, result.Planned.Called * 9 / 10);
        Foretells(result);
    }

    [Theory]
    [MemberData(nameof(Longer))]
    public void With_the_visitors_that_a_test_without_a_plan_takes_it_is_found_as_often_and_sooner(string name)
    {
        var result = Calibration.Run(Find(name), Runs);
        Assert.InRange(result.Planned.Called, Runs * Found / 100, Runs);
        Assert.InRange(result.AlwaysValid.Called, Runs * 73 / 100, Runs);
        Assert.True(result.Planned.Visitors < result.AlwaysValid.Visitors);
        Foretells(result);
    }

    // At half of the plan, the true end lies in the range told.
    private static void Foretells(Calibrated result)
    {
        if (!result.Case.IsForetold)
            return;
        Assert.InRange(result.Foretold.Of, 1, result.Runs);
        Assert.InRange(result.Foretold.InRange, result.Foretold.Of * InRange / 100, result.Foretold.Of);
    }

    [Theory]
    [InlineData(0.2, 0.17, 0.23)]
    [InlineData(0.3, 0.27, 0.33)]
    [InlineData(0.1, 0, 0)]
    public void What_is_expected_of_a_called_page_is_near_the_truth(double lift, double low, double high)
    {
        var what = new CalibrationCase($"one {lift * 100:0}% better", 2, 0.03, lift, 1.15);
        var called = Calibration.All(what, RunsOfBetter).Where(call => call.LiftSeen is not null).ToArray();
        var seen = Median(called.Select(call => call.LiftSeen!.Value));
        var expected = Median(called.Select(call => call.LiftExpected!.Value));
        if (high > 0)
            Assert.InRange(expected, low, high);
        else
            Assert.InRange(Math.Abs(expected - lift), 0, (seen - lift) / 2);
        Assert.True(seen > lift, $"{seen}");
    }

    [Fact]
    public void A_run_is_the_same_each_time() =>
        Assert.Equal(Calibration.Once(CalibrationCase.All[8], 17), Calibration.Once(CalibrationCase.All[8], 17));

    private static double Median(IEnumerable<double> values)
    {
        double[] inOrder = [.. values.Order()];
        return inOrder[inOrder.Length / 2];
    }

    private static CalibrationCase Find(string name) => CalibrationCase.All.Single(what => what.Name == name);

    private static TheoryData<string> Named(Func<CalibrationCase, bool> which) =>
        [.. CalibrationCase.All.Where(which).Select(what => what.Name)];
}
