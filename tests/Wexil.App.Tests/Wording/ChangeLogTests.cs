using Wexil.App.Wording;
using Wexil.Core.Assignments;
using Wexil.Core.SplitTests;

namespace Wexil.App.Tests.Wording;

/// <summary>What was changed of a test, the newest first.</summary>
public sealed class ChangeLogTests
{
    private static readonly DateTimeOffset Noon = new(2026, 11, 27, 12, 0, 0, TimeSpan.Zero);

    [Fact]
    public void Weights_that_followed_the_evidence_one_after_the_other_are_one_line()
    {
        TestChange[] changes =
        [
            Follows(5, "Weights 30/70"),
            Follows(4, "Weights 40/60"),
            Follows(3, "Weights 45/55"),
            new(Noon.AddHours(2), "owner", "Ends 1 December"),
            Follows(1, "Weights 48/52"),
            new(Noon, "owner", "Started"),
        ];
        Assert.Equal(
            ["Weights 30/70, and 2 times before", "Ends 1 December", "Weights 48/52", "Started"],
            ChangeLog.Summarize(changes).Select(change => change.What)
        );
    }

    [Fact]
    public void Two_in_a_row_are_once_before_and_nothing_else_is_drawn_together()
    {
        Assert.Equal(
            ["Weights 40/60, and 1 time before"],
            ChangeLog
                .Summarize([Follows(2, "Weights 40/60"), Follows(1, "Weights 45/55")])
                .Select(change => change.What)
        );
        TestChange[] byHand = [new(Noon, "owner", "A"), new(Noon, "owner", "B")];
        Assert.Equal(byHand, ChangeLog.Summarize(byHand));
        Assert.Empty(ChangeLog.Summarize([]));
    }

    private static TestChange Follows(int hours, string what) => new(Noon.AddHours(hours), AdaptiveWeights.Who, what);
}
