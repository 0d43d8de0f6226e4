using Wexil.App.Wording;
using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.App.Tests.Wording;

/// <summary>What the check of a kept page says, before and after chance is ruled out, and once it is over.</summary>
public sealed class CheckWordingTests
{
    private static readonly TestPage Kept = new(new(1), "A", "Seeds"),
        Replaced = new(new(2), "B", "Gift");
    private static readonly MeasuredUplift More = new(0.02, new Interval(-0.01, 0.05), 0.1);

    [Theory]
    [InlineData(
        false,
        "So far, “Seeds” got 20% more opt-ins than “Gift”, which it replaced.",
        "chance may still be why"
    )]
    [InlineData(true, "“Seeds” got 20% more opt-ins than “Gift”, which it replaced.", "more than chance would explain")]
    public void While_it_goes_on_it_says_whether_chance_may_be_why(bool isConfirmed, string sentence, string why)
    {
        var said = CheckWording.Say(Check(More, isConfirmed), "opt-ins", _ => "");
        Assert.Equal(sentence, said.Sentence);
        Assert.StartsWith($"Likely range: −10.0 to +50.0%; {why}.", said.Why, StringComparison.Ordinal);
    }

    [Fact]
    public void With_too_little_to_tell_no_figure_is_said()
    {
        var said = CheckWording.Say(Check(More with { Range = null }, false), "opt-ins", _ => "");
        Assert.Equal("Too little to tell yet what “Seeds” brings.", said.Sentence);
        Assert.Equal(
            new VerdictText("Checked", "Too few visitors came to measure what “Seeds” brings.", ""),
            CheckWording.Ended(Check(null, false), "opt-ins", _ => "")
        );
    }

    [Fact]
    public void Once_it_is_over_it_says_what_was_measured()
    {
        VerdictText better = new(
            "Checked",
            "“Seeds” got 20% more opt-ins than “Gift”, which it replaced.",
            "Likely range: −10.0 to +50.0%."
        );
        Assert.Equal(better, CheckWording.Ended(Check(More, false), "opt-ins", _ => ""));
        var less = new MeasuredUplift(-0.02, new Interval(-0.03, -0.01), 0.1);
        Assert.Equal(
            "“Seeds” got 20% fewer opt-ins than “Gift”, which it replaced.",
            CheckWording.Ended(new Verdict.KeptWorse(Kept, Replaced, less, false), "opt-ins", _ => "")!.Sentence
        );
        Assert.Null(CheckWording.Ended(new Verdict.SplitMismatch(), "opt-ins", _ => ""));
    }

    private static Verdict.Checked Check(MeasuredUplift? measured, bool isConfirmed) =>
        new(Kept, Replaced, measured, isConfirmed, false);
}
