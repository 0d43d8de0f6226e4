using Wexil.Core.Results;

namespace Wexil.App.Wording;

/// <summary>Puts what a rule does into words.</summary>
public static class RuleWording
{
    private const string NotSure = "Not sure enough yet.";

    /// <summary>Why the rule waits, keeps or rests a page.</summary>
    /// <param name="facts">Those that the decision rests on.</param>
    public static string Why(RuleDecision decision, TestFacts facts) =>
        decision switch
        {
            RuleDecision.Wait wait => Why(wait, facts),
            RuleDecision.Keep keep => Why(keep),
            RuleDecision.Rest rest => $"{string.Join(" and ", rest.Pages.Select(page => page.Letter))} "
                + $"{(rest.Pages.Count == 1 ? "brings" : "bring")} less than {rest.Control.Letter}, by more "
                + "than chance would explain.",
            _ => throw new ArgumentOutOfRangeException(nameof(decision)),
        };

    private static string Why(RuleDecision.Wait wait, TestFacts facts) =>
        wait switch
        {
            RuleDecision.Wait.ForHand => "Pages are kept by hand.",
            // A problem is told without amounts.
            RuleDecision.Wait.ForMending { Problem: var problem } =>
                $"The numbers cannot be trusted: {VerdictWording.Say(problem, facts, _ => "").Sentence}",
            RuleDecision.Wait.ForBuyers => "No sales yet.",
            RuleDecision.Wait.ForVisitors { More: var more } => $"{Format.Count(more)} more visitors needed.",
            RuleDecision.Wait.ForDays { More: var more } => $"At least {Format.Count(more)} more days to run.",
            RuleDecision.Wait.ForWholeWeeks { More: var more } =>
                $"{Format.Count(more, "more day", "more days")} until full weeks have passed, so that every weekday "
                    + "counts as often.",
            RuleDecision.Wait.ForConversions { Needed: var needed, Least: var least } =>
                $"Every page needs {Format.Count(needed)} {facts.Words.Many}; the lowest has {Format.Count(least)}.",
            RuleDecision.Wait.ForCheck => "The check goes on.",
            _ => NotSure,
        };

    private static string Why(RuleDecision.Keep keep) =>
        keep switch
        {
            RuleDecision.Keep.Leader { Visitors: var visitors } =>
                $"{keep.Page.Letter} was ahead after {Format.Count(visitors)} visitors.",
            RuleDecision.Keep.Settled { Kind: VerdictKind.Ready } =>
                $"{keep.Page.Letter} does better than the control, by more than chance would explain.",
            RuleDecision.Keep.Settled { Kind: VerdictKind.ControlWins } =>
                "No other page does better than the control.",
            RuleDecision.Keep.Settled => "There is no difference that matters.",
            RuleDecision.Keep.CheckOver => $"The check is over, and {keep.Page.Name} stays.",
            RuleDecision.Keep.TakenBack =>
                $"{keep.Page.Name} does better than the page that replaced it, by more than chance would explain.",
            RuleDecision.Keep.LeaderAtLatest => $"Not sure, but {keep.Page.Letter} was ahead on your latest day.",
            _ => $"Nothing was sure by your latest day, so {keep.Page.Letter} stays.",
        };
}
