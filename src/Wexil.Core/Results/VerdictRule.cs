using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>Reads a verdict off a test's figures.</summary>
public static class VerdictRule
{
    /// <summary>
    /// No chance this small of a silence being luck is believed; looked at all the time, so far below the usual 5%.
    /// </summary>
    private const double SilenceAlarm = 1e-6;

    /// <summary>
    /// How much longer the always-valid rule takes with the fifth of α that is left after the plan: where the mean of a
    /// difference as large as planned, less what a power of 80% asks for, meets its line with α/5 instead of α (2.50 of
    /// the textbook's sample instead of 1.94).
    /// </summary>
    private const double AfterPlan = 1.3;

    /// <summary>The power of the plan that a forecast follows.</summary>
    private const double Power = 0.8;

    /// <summary>The least that a forecast asks for, as a share of those who came.</summary>
    private const double LeastMore = 0.1;

    /// <summary>No forecast says more than this.</summary>
    private const double MostMore = 1e12;

    /// <summary>By the main goal.</summary>
    public static Verdict Apply(TestResult result)
    {
        if (result.Total.Visitors == 0)
            return new Verdict.Waiting();
        if (Problem(result) is { } problem)
            return problem;
        var verdict = Settled(result) ?? Open(result);
        return verdict with { Stakes = ExpectedLoss.From(result) };
    }

    /// <summary>By the main goal, with what money says beside it; or by money, with what the goal says.</summary>
    /// <param name="money">Null where nobody bought anything.</param>
    public static Verdict Apply(TestResult result, RevenueResult? money, bool onMoney)
    {
        var byGoal = Apply(result);
        if (money is null || byGoal.Kind is VerdictKind.Waiting or VerdictKind.Problem)
            return byGoal;
        var (goal, revenue) = (Decision.From(result), Decision.From(money));
        if (!onMoney)
            return byGoal with { OtherMeasure = Contradicting(goal.Keep, revenue) };
        var isCompared = result.Pages.All(page => page.Total.Conversions >= AlwaysValidTest.MinConversions);
        if (money.Swayed is { } swayed && isCompared)
            return new Verdict.FewLargeOrders(swayed.Page, swayed.Total.EffectiveBuyers);
        var byMoney = ByMoney(result, money, revenue);
        return byMoney with
        {
            Stakes = ExpectedLoss.From(money, result),
            OtherMeasure = Contradicting(revenue.Keep, goal),
        };
    }

    /// <summary>The page that the other measure surely keeps instead; null where there is none.</summary>
    private static TestPage? Contradicting(TestPage? kept, Decision other) =>
        other.Kind is VerdictKind.Ready or VerdictKind.ControlWins && kept is not null && other.Keep!.Id != kept.Id
            ? other.Keep
            : null;

    private static Verdict? Problem(TestResult result)
    {
        if (result.SplitP < SampleRatioMismatch.AlarmP)
            return new Verdict.SplitMismatch();
        var total = result.Total;
        if (result.Facts.Gap is not { Visitors: > 0 } silence || total.Conversions == 0)
            return null;
        var before = new Arm(Math.Max(total.Conversions, total.Visitors - silence.Visitors), total.Conversions);
        var luck = Math.Pow(1 - WilsonInterval.Compute(before).Low, silence.Visitors);
        return luck < SilenceAlarm ? new Verdict.ConversionsStopped(silence.Visitors, before.Rate) : null;
    }

    private static Verdict? Settled(TestResult result)
    {
        var control = result.Control.Page;
        var decision = Decision.From(result);
        return decision.Kind switch
        {
            VerdictKind.Ready => new Verdict.Better(decision.Keep!, control, decision.Lift, false)
            {
                Expected =
                    result.Pages.Single(page => page.Page.Id == decision.Keep!.Id).AgainstControl!.Expected
                    / result.Control.Standard.Rate,
            },
            VerdictKind.ControlWins => new Verdict.ControlBest(control, result.Pages.Count - 1, false),
            VerdictKind.NoDifference => new Verdict.NoDifference(control, result.Facts.SmallestLift, false),
            _ => null,
        };
    }

    private static Verdict Open(TestResult result)
    {
        var (facts, control) = (result.Facts, result.Control);
        var leader = result.Pages.MaxBy(page => page.ChanceBest)!;
        var rival = leader.IsControl ? result.Challengers.MaxBy(page => page.ChanceBest)! : leader;
        var isKnown = control.Total.Conversions > 0 && control.Standard.Rate < 1;
        var baseRate = isKnown ? control.Standard.Rate : facts.BaseRate;
        var planned = facts.SmallestLift * facts.BaseRate;
        var gap = Math.Max(Math.Abs(rival.AgainstControl?.Difference ?? 0), planned);
        var isOver = IsPlanOver(result.Pages.Select(page => page.AgainstControl));
        // Where only the rival's plan is over, going on is what settles it too.
        var isOnItsOwn = isOver || rival.AgainstControl?.Progress >= 1;
        var forecast = Expect(result, Needed(result, baseRate, planned, gap, isOnItsOwn));
        var least = result.Pages.Min(page => page.Total.Conversions);
        if (least < AlwaysValidTest.MinConversions)
            return new Verdict.TooFewConversions(least, forecast);
        return isOver
            ? new Verdict.PlanOver(leader.Page, control.Page, facts.SmallestLift, forecast, false)
            : new Verdict.Undecided(leader.Page, control.Page, forecast, false);
    }

    /// <summary>Visitors from the start, over all pages.</summary>
    private static double Needed(TestResult result, double baseRate, double planned, double gap, bool isOver)
    {
        double Other(double difference) => Math.Min(baseRate + difference, (1 + baseRate) / 2);
        var pages = result.Pages.Count;
        if (result.Facts.Plan is null)
            return Planner.PeekSafeTotal(baseRate, Other(gap), pages);
        return isOver
            ? Planner.PeekSafeTotal(baseRate, Other(gap), pages) * AfterPlan
            : Planner.PlannedTotal(baseRate, Other(planned), pages, beside: result.Facts.Beside.Count)
                * Planner.PlannedShare(gap / planned);
    }

    /// <summary>Every challenger has seen the last look of the plan.</summary>
    private static bool IsPlanOver(IEnumerable<Comparison?> compared)
    {
        var looks = compared.OfType<Comparison>().ToArray();
        return looks.Length > 0 && looks.All(look => look.Progress >= 1);
    }

    private static Verdict ByMoney(TestResult result, RevenueResult money, Decision decision)
    {
        var control = money.Control.Page;
        switch (decision.Kind)
        {
            case VerdictKind.Ready:
                var better = money.Pages.Single(page => page.Page.Id == decision.Keep!.Id);
                return new Verdict.Better(better.Page, control, better.AgainstControl!.Difference, true)
                {
                    Expected = better.AgainstControl.Expected,
                };
            case VerdictKind.ControlWins:
                return new Verdict.ControlBest(control, money.Pages.Count - 1, true);
            case VerdictKind.NoDifference:
                return new Verdict.NoDifference(control, money.Margin, true);
        }
        var leader = money.Pages.MaxBy(page => page.ChanceBest)!;
        var rival = leader.IsControl ? money.Challengers.MaxBy(page => page.ChanceBest)! : leader;
        var gap = Math.Max(Math.Abs(rival.AgainstControl?.Difference ?? 0), money.Margin);
        var forecast = Expect(result, Needed(money, rival, gap));
        return IsPlanOver(money.Pages.Select(page => page.AgainstControl))
            ? new Verdict.PlanOver(leader.Page, control, result.Facts.SmallestLift, forecast, true)
            : new Verdict.Undecided(leader.Page, control, forecast, true);
    }

    /// <summary>The textbook's sample for two means of this spread, times what the rule of the test costs.</summary>
    private static double Needed(RevenueResult money, MoneyPage rival, double gap)
    {
        var spread = money.Control.Total.Variance + rival.Total.Variance;
        var quantiles = Confidence.Quantile(1 - TestResult.Alpha / 2) + Confidence.Quantile(Power);
        var each = quantiles * quantiles * spread / (gap * gap);
        var factor = money.Facts.Plan is null
            ? Planner.PeekSafeFactor(money.Pages.Count)
            : Planner.PlannedFactor(money.Pages.Count + money.Facts.Beside.Count);
        return each * factor * money.Pages.Count;
    }

    /// <param name="needed">Visitors from the start, over all pages.</param>
    private static Forecast Expect(TestResult result, double needed)
    {
        var (came, daily) = (result.Total.Visitors, result.Facts.VisitorsPerDay);
        var more = RoundUp(Math.Clamp(needed - came, came * LeastMore, MostMore));
        return new(more, daily > 0 ? more / daily : null);
    }

    private static long RoundUp(double visitors)
    {
        var unit = Math.Pow(10, Math.Max(1, Math.Floor(Math.Log10(Math.Max(10, visitors))) - 1));
        return (long)(Math.Ceiling(visitors / unit) * unit);
    }
}
