using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>Reads a verdict off a test's figures.</summary>
public static class VerdictRule
{
    /// <summary>
    /// No chance this small of a silence being luck is believed; looked at all the time, so far below the usual 5%.
    /// </summary>
    private const double SilenceAlarm = 1e-6;

    /// <summary>By the main goal.</summary>
    public static Verdict Apply(TestResult result)
    {
        if (result.Total.Visitors == 0)
            return new Verdict.Waiting();
        if (Problem(result) is { } problem)
            return problem;
        var verdict = Settled(result) ?? Open(result);
        return verdict with { Stakes = ExpectedLoss.From(result, verdict.Keep) };
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
        if (isCompared && money.Decided is var (page, buyers, share))
            return new Verdict.FewLargeOrders(page, buyers, share);
        if (isCompared && money.FewestBuyers < AlwaysValidTest.MinConversions)
            return new Verdict.TooFewBuyers(money.FewestBuyers);
        var byMoney = ByMoney(result, money, revenue);
        return byMoney with
        {
            Stakes = ExpectedLoss.From(money, result, byMoney.Keep),
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
                Unsettled = Unsettled(
                    result,
                    [.. result.Pages.Select(page => (page.Page, page.ChanceBest, page.AgainstControl))],
                    result.Rule
                ),
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
        Comparison?[] compared = [.. result.Pages.Select(page => page.AgainstControl)];
        var forecast = Expect(result, compared, result.Rule, Index(result, rival.Page));
        var least = result.Pages.Min(page => page.Total.Conversions);
        if (least < AlwaysValidTest.MinConversions)
            return new Verdict.TooFewConversions(least, forecast);
        return IsPlanOver(compared)
            ? PlanOver(result, compared, leader.Page, forecast, isByMoney: false)
            : new Verdict.Undecided(leader.Page, control.Page, forecast, false);
    }

    private static int Index(TestResult result, TestPage page) =>
        result.Facts.Pages.Select((one, i) => (one, i)).Single(one => one.one.Id == page.Id).i;

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
                    Unsettled = Unsettled(
                        result,
                        [.. money.Pages.Select(page => (page.Page, page.ChanceBest, page.AgainstControl))],
                        money.Rule
                    ),
                };
            case VerdictKind.ControlWins:
                return new Verdict.ControlBest(control, money.Pages.Count - 1, true);
            case VerdictKind.NoDifference:
                return new Verdict.NoDifference(control, money.Margin, true);
        }
        var leader = money.Pages.MaxBy(page => page.ChanceBest)!;
        var rival = leader.IsControl ? money.Challengers.MaxBy(page => page.ChanceBest)! : leader;
        Comparison?[] compared = [.. money.Pages.Select(page => page.AgainstControl)];
        var forecast = Expect(result, compared, money.Rule, Index(result, rival.Page));
        return IsPlanOver(compared)
            ? PlanOver(result, compared, leader.Page, forecast, isByMoney: true)
            : new Verdict.Undecided(leader.Page, control, forecast, true);
    }

    private static Forecast? Expect(TestResult result, Comparison?[] compared, LookRule rule, int rival)
    {
        var facts = result.Facts;
        var weights = facts.WeightsAhead;
        if (rule.Plan is not null && !IsPlanOver(compared))
            return
                EndForecast.Range(
                    compared,
                    facts.Control,
                    rule,
                    facts.Alpha,
                    weights,
                    RateOf(result),
                    UntilCompared(result)
                )
                    is { } range
                ? Forecast.Create(range.Least, range.Most, facts.VisitorsPerDay)
                : null;
        var share = rule.Plan is null ? 1 : PlannedTest.OpenShare;
        var gain = EndForecast.ShareOf(weights, facts.Control, rival);
        return compared[rival] is { } look && EndForecast.IfItStays(look, rule, share, gain) is { } more
            ? Forecast.Create(more, more, facts.VisitorsPerDay) with
            {
                IfLeadHolds = true,
            }
            : null;
    }

    private static double RateOf(TestResult result) =>
        result.Total.Conversions > 0 ? result.Total.Rate : result.Facts.BaseRate;

    private static Verdict.PlanOver PlanOver(
        TestResult result,
        Comparison?[] compared,
        TestPage leader,
        Forecast? forecast,
        bool isByMoney
    )
    {
        var control = result.Facts.Control;
        double Sureness(Comparison? look) =>
            look is { Seen.Variance: > 0 } seen ? Math.Abs(seen.Difference) / Math.Sqrt(seen.Seen.Variance) : 0;
        var surest = Enumerable.Range(0, compared.Length).MaxBy(page => Sureness(compared[page]));
        var likelier = compared[surest] is { Difference: > 0 } ? surest : control;
        var isClose = Sureness(compared[surest]) >= Confidence.Quantile(1 - compared[surest]!.Level / 2);
        return new(
            leader,
            result.Control.Page,
            result.Facts.SmallestLift,
            forecast,
            result.Facts.Pages[likelier],
            isClose,
            isByMoney
        );
    }

    /// <summary>
    /// The page that is likeliest the best and that nothing is sure of, beside one that is to be kept.
    /// </summary>
    private static (TestPage, Forecast?)? Unsettled(
        TestResult result,
        (TestPage Page, double Chance, Comparison? Against)[] pages,
        LookRule rule
    )
    {
        var facts = result.Facts;
        var best = Enumerable.Range(0, pages.Length).MaxBy(page => pages[page].Chance);
        if (best == facts.Control || pages[best].Against is not { } look || look.P <= facts.Alpha)
            return null;
        var weights = facts.WeightsAhead;
        var range =
            rule.Plan is null || look.Progress >= 1
                ? null
                : EndForecast.Range(
                    [null, look],
                    0,
                    rule,
                    facts.Alpha,
                    [weights[facts.Control], weights[best]],
                    RateOf(result)
                );
        return (
            pages[best].Page,
            range is { } known ? Forecast.Create(known.Least, known.Most, facts.VisitorsPerDay) : null
        );
    }

    /// <summary>
    /// Visitors over all pages until each that gets some has as many conversions as a comparison needs.
    /// </summary>
    private static double UntilCompared(TestResult result)
    {
        var facts = result.Facts;
        var rate = RateOf(result);
        return result
            .Pages.Zip(facts.WeightsAhead)
            .Where(page => page.Second > 0)
            .Select(page =>
                (AlwaysValidTest.MinConversions - page.First.Total.Conversions) / (rate * page.Second / Weights.Total)
            )
            .Append(0)
            .Max();
    }
}
