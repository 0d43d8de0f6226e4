using Wexil.Core.Results;

namespace Wexil.App.Wording;

/// <summary>Puts what a rule does into words.</summary>
public static class RuleWording
{
    private const string NotSure = "It is not sure enough yet.";

    /// <summary>Why the rule waits, keeps or rests a page.</summary>
    /// <param name="facts">Those that the decision rests on.</param>
    public static string Why(RuleDecision decision, TestFacts facts) =>
        decision switch
        {
            RuleDecision.Wait wait => Why(wait, facts),
            RuleDecision.Keep keep => Why(keep),
            RuleDecision.Rest rest => $"{string.Join(" and ", rest.Pages.Select(page => page.Letter))} "
                + $"{(rest.Pages.Count == 1 ? "brings" : "bring")} less than {rest.Control.Letter}, and not by chance.",
            _ => throw new ArgumentOutOfRangeException(nameof(decision)),
        };

    private static string Why(RuleDecision.Wait wait, TestFacts facts) =>
        wait switch
        {
            RuleDecision.Wait.ForHand => "Pages are kept by hand.",
            // A problem is told without amounts.
            RuleDecision.Wait.ForMending { Problem: var problem } =>
                $"The numbers cannot be trusted: {VerdictWording.Say(problem, facts, _ => "").Sentence}",
            RuleDecision.Wait.ForBuyers => "Nobody has bought anything yet.",
            RuleDecision.Wait.ForVisitors { More: var more } => $"{Format.Count(more)} more visitors to come.",
            RuleDecision.Wait.ForDays { More: var more } => $"It runs for {Format.Count(more)} more days at least.",
            RuleDecision.Wait.ForConversions { Needed: var needed, Least: var least } =>
                $"Every page needs {Format.Count(needed)} {facts.Words.Many}; the smallest has {Format.Count(least)}.",
            _ => NotSure,
        };

    private static string Why(RuleDecision.Keep keep) =>
        keep switch
        {
            RuleDecision.Keep.Leader { Visitors: var visitors } =>
                $"{keep.Page.Letter} was ahead after {Format.Count(visitors)} visitors.",
            RuleDecision.Keep.Settled { Kind: VerdictKind.Ready } =>
                $"{keep.Page.Letter} is better than the control, and not by chance.",
            RuleDecision.Keep.Settled { Kind: VerdictKind.ControlWins } => "Nothing that was tried beats the control.",
            RuleDecision.Keep.Settled => "There is no difference that matters.",
            RuleDecision.Keep.LeaderAtLatest =>
                $"It is not sure, and {keep.Page.Letter} was ahead on the last day that you allowed.",
            _ => $"Nothing was sure on the last day that you allowed, so {keep.Page.Letter} stays.",
        };
}
