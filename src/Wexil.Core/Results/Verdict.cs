using System.Globalization;
using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>What a test says at a look.</summary>
public enum VerdictKind
{
    /// <summary>Nobody has come yet.</summary>
    Waiting,
    TooEarly,

    /// <summary>A challenger is better: keep it.</summary>
    Ready,

    /// <summary>Every challenger is worse: keep the control.</summary>
    ControlWins,

    /// <summary>Whatever difference there is, it is smaller than the smallest one worth finding.</summary>
    NoDifference,

    /// <summary>The numbers cannot be trusted.</summary>
    Problem,
}

/// <summary>What to do, in a sentence, and why.</summary>
/// <param name="Keep">The page to keep, where there is one.</param>
/// <param name="MoreVisitors">How many more visitors would settle it if the lead holds; null where that says
/// nothing.</param>
/// <param name="Days">The same in days at the present traffic.</param>
public sealed record Verdict(
    VerdictKind Kind,
    string Sentence,
    string Why,
    TestPage? Keep = null,
    long? MoreVisitors = null,
    double? Days = null
)
{
    /// <summary>What is at stake; null while nobody came, and where the numbers cannot be trusted.</summary>
    public ExpectedLoss? Stakes { get; init; }

    /// <summary>
    /// No chance this small of a silence being luck is believed; looked at all the time, so far below the usual 5%.
    /// </summary>
    private const double SilenceAlarm = 1e-6;

    /// <summary>The kind as a short label.</summary>
    public string Label =>
        Kind switch
        {
            VerdictKind.Waiting => "Waiting",
            VerdictKind.TooEarly => "Too early",
            VerdictKind.Problem => "Look here",
            _ => "Ready",
        };

    /// <summary>By the main goal.</summary>
    public static Verdict Of(TestResult standing)
    {
        if (standing.Total.Visitors == 0)
            return new(
                VerdictKind.Waiting,
                "Nobody has come yet.",
                "Put the step’s link in an ad or a letter, or open it yourself."
            );
        return Problem(standing)
            ?? ((Decided(standing) ?? TooEarly(standing)) with { Stakes = ExpectedLoss.Of(standing) });
    }

    /// <summary>By the main goal, with what money says beside it; or by money, with what the goal says.</summary>
    /// <param name="show">An amount in the owner's currency, from its smallest unit.</param>
    public static Verdict Of(TestResult standing, RevenueResult? money, bool onMoney, Func<double, string> show)
    {
        var byGoal = Of(standing);
        if (money is null || byGoal.Kind is VerdictKind.Waiting or VerdictKind.Problem)
            return byGoal;
        if (
            onMoney
            && money.Swayed is { } swayed
            && standing.Pages.All(page => page.Total.Conversions >= AlwaysValidTest.MinConversions)
        )
            return new(
                VerdictKind.Problem,
                $"A few large orders decide what {swayed.Page.Letter} brought.",
                $"Its takings are worth those of {Count((long)swayed.Total.EffectiveBuyers)} buyers alike; below {AlwaysValidTest.MinConversions}, one order more or less would turn them. More orders are needed, or judge by {standing.Facts.Words.Many}."
            );
        var byMoney = Decision.Of(money);
        if (!onMoney)
            return
                Decision.Of(standing) is { Keep: { } kept }
                && byMoney is { Kind: VerdictKind.Ready or VerdictKind.ControlWins, Keep: { } richer }
                && richer.Id != kept.Id
                ? byGoal with
                {
                    Why =
                        $"{byGoal.Why} By what visitors bring {richer.Letter} is ahead, and not by chance: the two disagree, so think which of them you live on.",
                }
                : byGoal;
        return (
            OnMoney(standing, money, byMoney, show) is var verdict
            && byMoney.Keep is { } best
            && Decision.Of(standing) is { Kind: VerdictKind.Ready or VerdictKind.ControlWins, Keep: { } other }
            && other.Id != best.Id
                ? verdict with
                {
                    Why =
                        $"{verdict.Why} By {standing.Facts.Words.Many} {other.Letter} is ahead, and not by chance: the two disagree.",
                }
                : verdict
        ) with
        {
            Stakes = ExpectedLoss.Of(money, standing),
        };
    }

    private static Verdict OnMoney(
        TestResult standing,
        RevenueResult money,
        Decision decision,
        Func<double, string> show
    )
    {
        var control = money.Control.Page;
        switch (decision.Kind)
        {
            case VerdictKind.Ready:
                var better = money.Pages.Single(page => page.Page.Id == decision.Keep!.Id).AgainstControl!.Difference;
                return new(
                    VerdictKind.Ready,
                    $"Keep {decision.Keep!.Letter}. Each visitor brings {show(better)} more than with {control.Letter}.",
                    SureOf(standing.Facts),
                    decision.Keep
                );
            case VerdictKind.ControlWins:
                return new(
                    VerdictKind.ControlWins,
                    $"Keep {control.Letter}. Nothing that was tried brings more.",
                    "Every other page brings less, and not by chance.",
                    control
                );
            case VerdictKind.NoDifference:
                return new(
                    VerdictKind.NoDifference,
                    $"No difference that matters: keep {control.Letter}.",
                    $"Whatever difference there is lies inside ±{show(money.Margin)} a visitor. Keep the control, or whichever costs you less.",
                    control
                );
        }
        var leader = money.Pages.MaxBy(page => page.ChanceBest)!;
        var rival = leader.IsControl ? money.Challengers.MaxBy(page => page.ChanceBest)! : leader;
        // The textbook's sample for two means of this spread, 80 percent power.
        var spread = money.Control.Total.Variance + rival.Total.Variance;
        var gap = Math.Max(Math.Abs(rival.AgainstControl?.Difference ?? 0), money.Margin);
        var needed =
            Math.Pow(Confidence.Quantile(0.975) + Confidence.Quantile(0.8), 2)
                * spread
                / (gap * gap)
                * Planner.PeekSafeFactor(money.Pages.Count)
                * money.Pages.Count
            - standing.Total.Visitors;
        var more = RoundUp(Math.Clamp(needed, standing.Total.Visitors * 0.1, 1e12));
        double? days = standing.Facts.VisitorsPerDay > 0 ? more / standing.Facts.VisitorsPerDay : null;
        return new(
            VerdictKind.TooEarly,
            leader.IsControl
                ? $"{control.Letter}, the control, brings most so far, but not by enough to bank on."
                : $"{leader.Page.Letter} brings more than {control.Letter} so far, but not by enough to bank on.",
            $"If the lead holds, {Wait(more, days)}",
            null,
            more,
            days
        );
    }

    private static string SureOf(TestFacts facts) =>
        $"Sure by a rule that allows looking at any time: fewer than 1 in {1 / facts.Alpha:0} such calls are wrong.";

    private static string Wait(long more, double? days) =>
        $"about {Count(more)} more visitors settle it"
        + (days is { } d ? $": {InWords(d)} at this week’s traffic." : ".");

    private static Verdict? Problem(TestResult standing)
    {
        if (standing.SplitP < SampleRatioMismatch.AlarmP)
            return new(
                VerdictKind.Problem,
                "The split did not arrive as set.",
                "The pages’ visitors are further from the weights than chance allows, so some visitors were lost on the way. Mend that first: no comparison can be trusted before."
            );
        var (facts, total) = (standing.Facts, standing.Total);
        if (facts.Silence is not { Visitors: > 0 } silence || total.Conversions == 0)
            return null;
        var before = new Arm(Math.Max(total.Conversions, total.Visitors - silence.Visitors), total.Conversions);
        var luck = Math.Pow(1 - WilsonInterval.Of(before).Low, silence.Visitors);
        var words = facts.Words;
        return luck >= SilenceAlarm
            ? null
            : new(
                VerdictKind.Problem,
                $"{Count(silence.Visitors)} visitors and not one {words.One} since the last.",
                $"Before, {Percent(before.Rate)} of the visitors converted. Most likely the next step no longer counts: open it and see that the page answers and carries the script."
            );
    }

    private static Verdict? Decided(TestResult standing)
    {
        var (facts, control) = (standing.Facts, standing.Control);
        var (many, _) = facts.Words;
        var decision = Decision.Of(standing);
        return decision.Kind switch
        {
            VerdictKind.Ready => new(
                VerdictKind.Ready,
                $"Keep {decision.Keep!.Letter}. It brings {Percent(decision.Lift)} more {many} than {control.Page.Letter}.",
                SureOf(facts),
                decision.Keep
            ),
            VerdictKind.ControlWins => new(
                VerdictKind.ControlWins,
                $"Keep {control.Page.Letter}. Nothing that was tried beats it.",
                standing.Pages.Count == 2
                    ? "The other page brings fewer, and not by chance."
                    : "Every other page brings fewer, and not by chance.",
                control.Page
            ),
            VerdictKind.NoDifference => new(
                VerdictKind.NoDifference,
                $"No difference that matters: keep {control.Page.Letter}.",
                $"Whatever difference there is lies inside ±{Percent(facts.SmallestLift)}, the smallest lift worth finding. Keep the control, or whichever costs you less, and try something bolder.",
                control.Page
            ),
            _ => null,
        };
    }

    private static Verdict TooEarly(TestResult standing)
    {
        var (facts, control) = (standing.Facts, standing.Control);
        var (many, _) = facts.Words;
        var leader = standing.Pages.MaxBy(page => page.ChanceBest)!;
        var rival = leader.IsControl ? standing.Challengers.MaxBy(page => page.ChanceBest)! : leader;
        var baseRate =
            control.Total.Conversions > 0 && control.Standard.Rate < 1 ? control.Standard.Rate : facts.BaseRate;
        var gap = Math.Max(Math.Abs(rival.AgainstControl?.Difference ?? 0), facts.SmallestLift * facts.BaseRate);
        var other = Math.Min(baseRate + gap, (1 + baseRate) / 2);
        var needed = Planner.PeekSafeTotal(baseRate, other, standing.Pages.Count) - standing.Total.Visitors;
        var more = RoundUp(Math.Max(needed, standing.Total.Visitors * 0.1));
        double? days = facts.VisitorsPerDay > 0 ? more / facts.VisitorsPerDay : null;
        var wait = Wait(more, days);

        var least = standing.Pages.Min(page => page.Total.Conversions);
        if (least < AlwaysValidTest.MinConversions)
            return new(
                VerdictKind.TooEarly,
                $"Too few {many} to say anything yet.",
                $"No call is made before every page has {AlwaysValidTest.MinConversions}; the smallest has {Count(least)}. By plan, {wait}",
                null,
                more,
                days
            );
        var sentence = leader.IsControl
            ? $"{control.Page.Letter}, the control, is ahead, but not by enough to bank on."
            : $"{leader.Page.Letter} is ahead of {control.Page.Letter}, but not by enough to bank on.";
        return new(VerdictKind.TooEarly, sentence, $"If the lead holds, {wait}", null, more, days);
    }

    private static string InWords(double days) =>
        days switch
        {
            < 1.5 => "a day",
            < 60 => $"{Count((long)Math.Round(days))} days",
            < 730 => $"{Count((long)Math.Round(days / 30.4))} months",
            _ => "years",
        };

    private static long RoundUp(double visitors)
    {
        var unit = Math.Pow(10, Math.Max(1, Math.Floor(Math.Log10(Math.Max(10, visitors))) - 1));
        return (long)(Math.Ceiling(visitors / unit) * unit);
    }

    private static string Count(long number) => number.ToString("N0", CultureInfo.InvariantCulture);

    private static string Percent(double share) =>
        (share * 100).ToString(share >= 1 ? "0" : "0.#", CultureInfo.InvariantCulture) + "%";
}
