using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using static Wexil.Tests.OnePhase;

namespace Wexil.Core.Tests.Results;

/// <summary>The kept page is A, the page it replaced B.</summary>
public sealed class CheckRuleTests
{
    [Theory]
    [InlineData(9000, 900, 1000, 100, true, false, "ForCheck { }")]
    [InlineData(9000, 900, 1000, 100, true, true, "A")]
    [InlineData(9000, 900, 1000, 160, true, false, "B")] // surely worse: taken back at once
    [InlineData(9000, 900, 1000, 160, false, false, "ForCheck { }")] // the owner is told instead
    [InlineData(9000, 900, 1000, 160, false, true, "A")]
    [InlineData(9000, 900, 1000, 50, true, false, "ForCheck { }")] // surely better: measured to the end all the same
    [InlineData(9000, 900, 1000, 24, true, false, "ForCheck { }")] // too few
    [InlineData(0, 0, 0, 0, true, true, "A")]
    public void It_takes_back_what_is_surely_worse_and_else_goes_on_to_its_end(
        long visitorsKept,
        long conversionsKept,
        long visitorsReplaced,
        long conversionsReplaced,
        bool takesBack,
        bool isOver,
        string outcome
    )
    {
        var result = Standing([new(visitorsKept, conversionsKept), new(visitorsReplaced, conversionsReplaced)]);
        var verdict = CheckRule.Apply(result with { SplitP = 1 }, null, onMoney: false);
        Assert.Equal(outcome, Said(CheckRule.Decide(new(new(1), takesBack), result, verdict, isOver)));
    }

    [Theory]
    [InlineData(100, VerdictKind.Checking)]
    [InlineData(60, VerdictKind.Confirmed)]
    [InlineData(160, VerdictKind.Worse)]
    public void It_says_how_the_kept_page_stands(long conversionsReplaced, VerdictKind kind)
    {
        var result = Standing([new(9000, 900), new(1000, conversionsReplaced)]) with { SplitP = 1 };
        var verdict = CheckRule.Apply(result, null, onMoney: false);
        Assert.Equal(kind, verdict.Kind);
        Assert.Equal(kind == VerdictKind.Worse ? "B" : null, verdict.Keep?.Letter);
    }

    [Fact]
    public void Numbers_that_cannot_be_trusted_take_nothing_back_and_hold_nothing_up()
    {
        // Half of the visitors are on each page, where nine of ten were to be on the first.
        var phase = new PhaseFacts([90, 10], [new Arm(5000, 400), new Arm(5000, 700)]);
        var result = TestResult.From(Facts([new(5000, 400), new(5000, 700)]) with { Phases = [phase] });
        var verdict = CheckRule.Apply(result, null, onMoney: false);
        var check = new KeptCheck(new(1), TakesBack: true);
        Assert.IsType<RuleDecision.Wait.ForMending>(CheckRule.Decide(check, result, verdict, isOver: false));
        Assert.IsType<RuleDecision.Keep.CheckOver>(CheckRule.Decide(check, result, verdict, isOver: true));
    }

    [Fact]
    public void What_is_measured_is_kept_minus_replaced()
    {
        var result = Standing([new(9000, 1080), new(1000, 100)]);
        var measured = MeasuredUplift.From(result)!;
        Assert.Equal(0.02, measured.Difference, 1e-9);
        Assert.Equal(0.2, measured.Lift!.Value, 1e-9);
        var against = result.Pages[1].AgainstControl!.Interval!.Value;
        Assert.Equal(new Interval(-against.High, -against.Low), measured.Range);
        Assert.Equal(-against.Low / 0.1, measured.LiftRange!.Value.High, 1e-9);
    }

    [Fact]
    public void Nothing_is_a_share_of_nothing()
    {
        var measured = MeasuredUplift.From(difference: -0.1, new Interval(-0.2, 0), replaced: 0);
        Assert.Null(measured.Lift);
        Assert.Null(measured.LiftRange);
        Assert.Null(MeasuredUplift.From(Standing([new(10, 1), new(0, 0)])));
    }
}
