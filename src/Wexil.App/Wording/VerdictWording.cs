using System.Globalization;
using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.App.Wording;

/// <summary>A verdict as people read it.</summary>
/// <param name="Label">The kind in a word or two.</param>
/// <param name="Sentence">What to do.</param>
/// <param name="Why">Why, and how long it may take.</param>
public sealed record VerdictText(string Label, string Sentence, string Why);

/// <summary>Puts verdicts into words.</summary>
public static class VerdictWording
{
    private const double NearlyAll = 0.95;

    /// <param name="facts">Those that the verdict rests on.</param>
    /// <param name="money">An amount in the owner's currency, from its smallest unit.</param>
    public static VerdictText Say(Verdict verdict, TestFacts facts, Func<double, string> money)
    {
        var (sentence, why) = Words(verdict, facts, money);
        return new(Label(verdict.Kind), sentence, why + Disagreement(verdict, facts.Words.Many));
    }

    /// <summary>A kind in a word or two.</summary>
    public static string Label(VerdictKind kind) =>
        kind switch
        {
            VerdictKind.Waiting => "Waiting",
            VerdictKind.TooEarly => "Too early",
            VerdictKind.Problem => "Problem",
            VerdictKind.Checking => "Checking",
            VerdictKind.Confirmed => "Confirmed",
            VerdictKind.Worse => "Worse",
            _ => "Ready",
        };

    private static (string Sentence, string Why) Words(Verdict verdict, TestFacts facts, Func<double, string> money)
    {
        var (many, one) = facts.Words;
        return verdict switch
        {
            Verdict.Waiting => ("No visitors yet.", "Put the step’s link in an ad or an e-mail."),
            Verdict.SplitMismatch => (
                "Visitors are not split as you set.",
                "The difference is too large for chance, so some visitors are being lost or added. Fix that "
                    + "first; until then no comparison can be trusted."
            ),
            Verdict.ConversionsStopped stopped => (
                $"{Format.Count(stopped.Visitors)} visitors in a row without one {one}.",
                $"Before, {Share(stopped.RateBefore)} of the visitors converted. The next step has probably "
                    + "stopped counting: check that its page loads and has the tracking script."
            ),
            Verdict.FewLargeOrders orders => (
                $"{(orders.Buyers == 1 ? "One buyer" : "Three buyers")} brought {Share(orders.Share)} of "
                    + $"{orders.Page.Letter}’s revenue.",
                "One such order more or less would turn the result, so the revenue of the pages cannot be compared. "
                    + $"Wait for more orders, or decide by {many}."
            ),
            Verdict.TooFewBuyers few => (
                "Too few orders to compare revenue yet.",
                $"Each page’s revenue has to be as steady as that of {AlwaysValidTest.MinConversions} equal orders; "
                    + $"the least steady is as that of {Format.Count((long)few.Least)}."
            ),
            Verdict.Checked or Verdict.KeptWorse => CheckWording.Say(verdict, many, money),
            Verdict.Better better => Better(better, facts, money),
            Verdict.ControlBest best => ControlBest(best),
            Verdict.NoDifference same => NoDifference(same, money),
            _ => TooEarly(verdict, many),
        };
    }

    private static (string, string) TooEarly(Verdict verdict, string many) =>
        verdict switch
        {
            Verdict.TooFewConversions few => (
                $"Too few {many} to tell yet.",
                $"Each needs at least {AlwaysValidTest.MinConversions}; the lowest has "
                    + $"{Format.Count(few.Least)}. {Wait(few.Expected)}"
            ),
            Verdict.Undecided open => (Ahead(open), Wait(open.Expected)),
            Verdict.PlanOver over => (
                over.IsClose
                    ? $"All planned visitors have come. Close: {over.Likelier.Letter} is likelier to be better."
                    : "All planned visitors have come, and no page is surely better.",
                $"A lift of {Share(over.SmallestLift)} would have shown in 4 of 5 such tests. Keep "
                    + $"{over.Control.Letter}, plan a new test, or go on: {ForecastWording.Say(over.Expected)}"
            ),
            _ => throw new ArgumentOutOfRangeException(nameof(verdict)),
        };

    private static (string, string) Better(Verdict.Better better, TestFacts facts, Func<double, string> money)
    {
        var (letter, control) = (better.Page.Letter, better.Control.Letter);
        return (
            better.IsByMoney
                ? $"Keep {letter}. It earned {money(better.Gain)} more per visitor than {control}."
                : $"Keep {letter}. It got {Share(better.Gain)} more {facts.Words.Many} than {control}.",
            StillOpen(better)
                + Expectation(better, money)
                + $"When there is really no difference, fewer than 1 in {1 / facts.Alpha:0} tests end in a wrong call, "
                + "however often you check."
        );
    }

    private static string StillOpen(Verdict.Better better) =>
        better.Unsettled is not { } open
            ? ""
            : $"{open.Page.Letter} is ahead of {better.Page.Letter}, but not surely better than "
                + $"{better.Control.Letter} yet"
                + (open.Expected is { } more ? $": that takes {ForecastWording.Visitors(more)} more visitors. " : ". ");

    private static string Expectation(Verdict.Better better, Func<double, string> money)
    {
        // Where it is nearly all that was seen, there is nothing to explain.
        if (better.Expected is not { } expected || expected > better.Gain * NearlyAll)
            return "";
        return $"Expect about {(better.IsByMoney ? money(expected) : Format.Lift(expected))} from now on: a page is "
            + "called when it stands well, so what it shows then is usually too much. ";
    }

    private static (string, string) NoDifference(Verdict.NoDifference same, Func<double, string> money) =>
        (
            $"No difference that matters: keep {same.Control.Letter}.",
            same.IsByMoney
                ? $"Any difference is smaller than ±{money(same.Margin)} per visitor. Keep the control, or the "
                    + "one that costs you less."
                : $"Any difference is smaller than ±{Share(same.Margin)}, the smallest lift worth finding. Keep "
                    + "the control, or the one that costs you less, and test something bolder."
        );

    private static (string, string) ControlBest(Verdict.ControlBest best)
    {
        var letter = best.Control.Letter;
        if (best.IsByMoney)
            return (
                $"Keep {letter}. No other one earns more.",
                best.Challengers == 1
                    ? "The other one earned less, by more than chance would explain."
                    : "All others earned less, by more than chance would explain."
            );
        var others = best.Challengers == 1 ? "The other one got" : "All others got";
        return ($"Keep {letter}. No other one does better.", $"{others} fewer, by more than chance would explain.");
    }

    private static string Ahead(Verdict.Undecided open)
    {
        var (leader, control) = (open.Leader.Letter, open.Control.Letter);
        const string notYet = ", but not by enough to be sure.";
        if (open.Leader.Id == open.Control.Id)
            return $"{control}, the control, {(open.IsByMoney ? "earns most so far" : "is ahead")}{notYet}";
        return open.IsByMoney
            ? $"{leader} earns more than {control} so far{notYet}"
            : $"{leader} is ahead of {control}{notYet}";
    }

    private static string Disagreement(Verdict verdict, string many) =>
        (verdict.OtherMeasure, verdict.IsByMoney) switch
        {
            (null, _) => "",
            ({ } other, true) => $" By {many} {other.Letter} is clearly ahead: the two disagree.",
            ({ } other, false) =>
                $" By revenue, {other.Letter} is clearly ahead. The two disagree: decide which matters more to you.",
        };

    private static string Wait(Forecast? forecast) => Format.Capital(ForecastWording.Say(forecast));

    private static string Share(double share) =>
        Locale.Current.Percent(Locale.Current.Brief(share * 100, share >= 1 ? 0 : 1));
}
