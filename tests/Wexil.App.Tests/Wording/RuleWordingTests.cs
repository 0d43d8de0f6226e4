using Wexil.App.Wording;
using Wexil.Core.Results;
using static Wexil.Tests.OnePhase;

namespace Wexil.App.Tests.Wording;

/// <summary>Why a rule waits, keeps a page or lets some rest.</summary>
public sealed class RuleWordingTests
{
    private static readonly TestFacts Three = Facts([new(5000, 500), new(5000, 650), new(5000, 480)]);
    private static readonly TestPage A = Three.Pages[0],
        B = Three.Pages[1],
        C = Three.Pages[2];

    public static TheoryData<RuleDecision, string> Decisions =>
        new()
        {
            { new RuleDecision.Wait.ForHand(), "Pages are kept by hand." },
            {
                new RuleDecision.Wait.ForMending(new Verdict.SplitMismatch()),
                "The numbers cannot be trusted: Visitors are not split as you set."
            },
            { new RuleDecision.Wait.ForBuyers(), "No sales yet." },
            { new RuleDecision.Wait.ForVisitors(1200), "1,200 more visitors needed." },
            { new RuleDecision.Wait.ForDays(9), "At least 9 more days to run." },
            { new RuleDecision.Wait.ForConversions(100, 90), "Every page needs 100 opt-ins; the lowest has 90." },
            { new RuleDecision.Wait.ForCertainty(), "Not sure enough yet." },
            { new RuleDecision.Keep.Leader(B, 2000), "B was ahead after 2,000 visitors." },
            {
                new RuleDecision.Keep.Settled(B, VerdictKind.Ready),
                "B does better than the control, by more than chance would explain."
            },
            {
                new RuleDecision.Keep.Settled(A, VerdictKind.ControlWins),
                "No other page does better than the control."
            },
            { new RuleDecision.Keep.Settled(A, VerdictKind.NoDifference), "There is no difference that matters." },
            { new RuleDecision.Keep.LeaderAtLatest(B), "Not sure, but B was ahead on your latest day." },
            { new RuleDecision.Keep.ControlAtLatest(A), "Nothing was sure by your latest day, so A stays." },
            { new RuleDecision.Rest([B], A), "B brings less than A, by more than chance would explain." },
            { new RuleDecision.Rest([B, C], A), "B and C bring less than A, by more than chance would explain." },
        };

    [Theory]
    [MemberData(nameof(Decisions))]
    public void A_decision_has_its_words(RuleDecision decision, string words) =>
        Assert.Equal(words, RuleWording.Why(decision, Three));
}
