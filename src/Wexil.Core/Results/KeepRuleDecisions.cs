using Wexil.Core.SplitTests;

namespace Wexil.Core.Results;

/// <summary>Applies a rule to a test as it stands.</summary>
public static class KeepRuleDecisions
{
    private const int DaysOfWeek = 7;

    /// <summary>What is to be done now.</summary>
    /// <param name="result">With the rule's own level.</param>
    /// <param name="money">Null where nobody bought anything.</param>
    /// <param name="weights">Those in force.</param>
    /// <param name="days">Full days since the start.</param>
    /// <param name="today">The owner's day.</param>
    public static RuleDecision Decide(
        this KeepRule rule,
        TestResult result,
        RevenueResult? money,
        Weights weights,
        double days,
        DateOnly today
    )
    {
        if (rule.By == KeepBy.Hand)
            return new RuleDecision.Wait.ForHand();
        if (VerdictRule.Apply(result) is { Kind: VerdictKind.Problem } problem)
            return new RuleDecision.Wait.ForMending(problem);
        if (rule.OnMoney && money is null)
            return new RuleDecision.Wait.ForBuyers();
        var leader = rule.OnMoney
            ? money!.Pages.MaxBy(page => page.Standard.Mean)!.Page
            : result.Pages.MaxBy(page => page.Standard.Rate)!.Page;
        return rule.By == KeepBy.Visitors
            ? AfterVisitors(rule, result, leader)
            : WhenSure(rule, result, money, weights, leader, days, today);
    }

    private static RuleDecision AfterVisitors(KeepRule rule, TestResult result, TestPage leader)
    {
        var came = result.Total.Visitors;
        return came < rule.Visitors
            ? new RuleDecision.Wait.ForVisitors(rule.Visitors - came)
            : new RuleDecision.Keep.Leader(leader, came);
    }

    private static RuleDecision WhenSure(
        KeepRule rule,
        TestResult result,
        RevenueResult? money,
        Weights weights,
        TestPage leader,
        double days,
        DateOnly today
    )
    {
        var early = Early(rule, result, days);
        var isLast = rule.Latest is { } latest && today >= latest;
        if (early is not null && !isLast)
            return early;
        var decision = rule.OnMoney ? Decision.From(money!) : Decision.From(result);
        if (early is null && decision.Keep is { } keep)
            return new RuleDecision.Keep.Settled(keep, decision.Kind);
        if (isLast)
            return rule.LeaderAtLatest
                ? new RuleDecision.Keep.LeaderAtLatest(leader)
                : new RuleDecision.Keep.ControlAtLatest(result.Control.Page);
        return Resting(rule, result, weights, decision) ?? new RuleDecision.Wait.ForCertainty();
    }

    /// <summary>The days, conversions and weeks that are still missing; null where none are.</summary>
    private static RuleDecision? Early(KeepRule rule, TestResult result, double days)
    {
        if (days < rule.Days)
            return new RuleDecision.Wait.ForDays((int)Math.Ceiling(rule.Days - days));
        var least = result.Pages.Min(page => page.Total.Conversions);
        if (least < rule.Conversions)
            return new RuleDecision.Wait.ForConversions(rule.Conversions, least);
        // A day of a week is left for the look that finds it full.
        var begun = days % DaysOfWeek;
        return rule.WholeWeeks && begun >= 1
            ? new RuleDecision.Wait.ForWholeWeeks((int)Math.Ceiling(DaysOfWeek - begun))
            : null;
    }

    /// <summary>The losers that can rest while somebody is still compared with the control; null for none.</summary>
    private static RuleDecision? Resting(KeepRule rule, TestResult result, Weights weights, Decision decision)
    {
        var losers = decision.Worse.Where(page => weights[Index(result, page)] > 0).ToArray();
        var compared = result.Challengers.Count(page => weights[Index(result, page.Page)] > 0);
        return rule.RestsLosers && losers.Length > 0 && compared > losers.Length
            ? new RuleDecision.Rest(losers, result.Control.Page)
            : null;
    }

    private static int Index(TestResult result, TestPage page) =>
        result.Facts.Pages.TakeWhile(own => own.Id != page.Id).Count();
}
