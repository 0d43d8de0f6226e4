using System.Globalization;
using Wexil.Core.SplitTests;

namespace Wexil.Core.Results;

/// <summary>What a rule does at a look.</summary>
public abstract record RuleDecision
{
    private RuleDecision(string why) => Why = why;

    public string Why { get; }

    /// <summary>Nothing is done yet.</summary>
    public sealed record Wait(string Reason) : RuleDecision(Reason);

    /// <summary>The page is kept and the test ends.</summary>
    public sealed record Keep(TestPage Page, string Reason) : RuleDecision(Reason);

    /// <summary>Pages that nobody new is sent to any more.</summary>
    public sealed record Rest(IReadOnlyList<TestPage> Pages, string Reason) : RuleDecision(Reason);
}

/// <summary>Applies a rule to a test as it stands.</summary>
public static class KeepRuleDecisions
{
    /// <summary>What is to be done now.</summary>
    /// <param name="standing">With the rule's own level.</param>
    /// <param name="money">Null where nobody bought anything.</param>
    /// <param name="weights">Those in force.</param>
    /// <param name="days">Full days since the start.</param>
    /// <param name="today">The owner's day.</param>
    public static RuleDecision Decide(
        this KeepRule rule,
        TestResult standing,
        RevenueResult? money,
        Weights weights,
        double days,
        DateOnly today
    )
    {
        if (rule.By == KeepBy.Hand)
            return new RuleDecision.Wait("Pages are kept by hand.");
        var problem = Verdict.Of(standing);
        if (problem.Kind == VerdictKind.Problem)
            return new RuleDecision.Wait($"The numbers cannot be trusted: {problem.Sentence}");
        if (rule.OnMoney && money is null)
            return new RuleDecision.Wait("Nobody has bought anything yet.");
        var leader = rule.OnMoney
            ? money!.Pages.MaxBy(page => page.Standard.Mean)!.Page
            : standing.Pages.MaxBy(page => page.Standard.Rate)!.Page;
        if (rule.By == KeepBy.Visitors)
        {
            var more = rule.Visitors - standing.Total.Visitors;
            return more > 0
                ? new RuleDecision.Wait($"{Count(more)} more visitors to come.")
                : new RuleDecision.Keep(
                    leader,
                    $"{leader.Letter} was ahead after {Count(standing.Total.Visitors)} visitors."
                );
        }
        var isLast = rule.Latest is { } latest && today >= latest;
        if (Early(rule, standing, days) is { } early && !isLast)
            return early;
        var decision = rule.OnMoney ? Decision.Of(money!) : Decision.Of(standing);
        if (Early(rule, standing, days) is null && decision is { Keep: { } keep })
            return new RuleDecision.Keep(keep, decision.Reason);
        if (isLast)
            return rule.LeaderAtLatest
                ? new RuleDecision.Keep(
                    leader,
                    $"It is not sure, and {leader.Letter} was ahead on the last day that you allowed."
                )
                : new RuleDecision.Keep(
                    standing.Control.Page,
                    $"Nothing was sure on the last day that you allowed, so {standing.Control.Page.Letter} stays."
                );
        var losers = decision.Worse.Where(page => weights[Index(standing, page)] > 0).ToArray();
        // Somebody has to be compared with the control still.
        if (
            rule.RestsLosers
            && losers.Length > 0
            && standing.Challengers.Count(page => weights[Index(standing, page.Page)] > 0) > losers.Length
        )
            return new RuleDecision.Rest(
                losers,
                $"{string.Join(" and ", losers.Select(page => page.Letter))} {(losers.Length == 1 ? "brings" : "bring")} less than {standing.Control.Page.Letter}, and not by chance."
            );
        return new RuleDecision.Wait("It is not sure enough yet.");
    }

    private static RuleDecision? Early(KeepRule rule, TestResult standing, double days)
    {
        if (days < rule.Days)
            return new RuleDecision.Wait(
                $"It runs for {Count((long)Math.Ceiling(rule.Days - days))} more days at least."
            );
        var least = standing.Pages.Min(page => page.Total.Conversions);
        return least < rule.Conversions
            ? new RuleDecision.Wait(
                $"Every page needs {Count(rule.Conversions)} {standing.Facts.Words.Many}; the smallest has {Count(least)}."
            )
            : null;
    }

    private static int Index(TestResult standing, TestPage page) =>
        standing.Facts.Pages.TakeWhile(own => own.Id != page.Id).Count();

    private static string Count(long number) => number.ToString("N0", CultureInfo.InvariantCulture);
}
