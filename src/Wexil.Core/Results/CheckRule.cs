using Wexil.Core.SplitTests;

namespace Wexil.Core.Results;

/// <summary>
/// Reads the verdict off a check's figures and ends the check: the kept page is the control, and the page it replaced
/// the only challenger.
/// </summary>
public static class CheckRule
{
    /// <param name="money">Null where nobody bought anything.</param>
    public static Verdict Apply(TestResult result, RevenueResult? money, bool onMoney)
    {
        var usual = VerdictRule.Apply(result, money, onMoney);
        if (usual.Kind == VerdictKind.Problem)
            return usual;
        var (kept, replaced) = (result.Control.Page, result.Challengers.Single().Page);
        var isByMoney = onMoney && money is not null;
        var measured = isByMoney ? MeasuredUplift.From(money!) : MeasuredUplift.From(result);
        return usual.Kind == VerdictKind.Ready
            ? new Verdict.KeptWorse(kept, replaced, measured!, isByMoney)
            : new Verdict.Checked(kept, replaced, measured, usual.Kind == VerdictKind.ControlWins, isByMoney);
    }

    /// <summary>What is to be done now.</summary>
    /// <param name="verdict">As <see cref="Apply"/> reads it.</param>
    /// <param name="isOver">Its weeks have passed.</param>
    public static RuleDecision Decide(KeptCheck check, TestResult result, Verdict verdict, bool isOver)
    {
        if (verdict is Verdict.KeptWorse worse && check.TakesBack)
            return new RuleDecision.Keep.TakenBack(worse.Replaced);
        if (isOver)
            return new RuleDecision.Keep.CheckOver(result.Control.Page);
        return verdict.Kind == VerdictKind.Problem
            ? new RuleDecision.Wait.ForMending(verdict)
            : new RuleDecision.Wait.ForCheck();
    }
}
