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
            VerdictKind.Problem => "Look here",
            _ => "Ready",
        };

    private static (string Sentence, string Why) Words(Verdict verdict, TestFacts facts, Func<double, string> money)
    {
        var (many, one) = facts.Words;
        return verdict switch
        {
            Verdict.Waiting => (
                "Nobody has come yet.",
                "Put the step’s link in an ad or a letter, or open it yourself."
            ),
            Verdict.SplitMismatch => (
                "The split did not arrive as set.",
                "The visitors are further from the weights than chance allows, so some were lost on the way. Mend that "
                    + "first: no comparison can be trusted before."
            ),
            Verdict.ConversionsStopped stopped => (
                $"{Format.Count(stopped.Visitors)} visitors and not one {one} since the last.",
                $"Before, {Share(stopped.RateBefore)} of the visitors converted. Most likely the next step no longer "
                    + "counts: open it and see that the page answers and carries the script."
            ),
            Verdict.FewLargeOrders orders => (
                $"A few large orders decide what {orders.Page.Letter} brought.",
                $"Its takings are worth those of {Format.Count((long)orders.Buyers)} buyers alike; below "
                    + $"{AlwaysValidTest.MinConversions}, one order more or less would turn them. More orders are "
                    + $"needed, or judge by {many}."
            ),
            Verdict.Better better => Better(better, facts, money),
            Verdict.ControlBest best => ControlBest(best),
            Verdict.NoDifference same => NoDifference(same, money),
            Verdict.TooFewConversions few => (
                $"Too few {many} to say anything yet.",
                $"No call is made before each has {AlwaysValidTest.MinConversions}; the smallest has "
                    + $"{Format.Count(few.Least)}. By plan, {Wait(few.Expected)}"
            ),
            Verdict.Undecided open => (Ahead(open), $"If the lead holds, {Wait(open.Expected)}"),
            _ => throw new ArgumentOutOfRangeException(nameof(verdict)),
        };
    }

    private static (string, string) Better(Verdict.Better better, TestFacts facts, Func<double, string> money)
    {
        var (letter, control) = (better.Page.Letter, better.Control.Letter);
        return (
            better.IsByMoney
                ? $"Keep {letter}. Each visitor brings {money(better.Gain)} more than with {control}."
                : $"Keep {letter}. It brings {Share(better.Gain)} more {facts.Words.Many} than {control}.",
            $"Sure by a rule that allows looking at any time: fewer than 1 in {1 / facts.Alpha:0} such calls are wrong."
        );
    }

    private static (string, string) NoDifference(Verdict.NoDifference same, Func<double, string> money) =>
        (
            $"No difference that matters: keep {same.Control.Letter}.",
            same.IsByMoney
                ? $"Whatever difference there is lies inside ±{money(same.Margin)} a visitor. Keep the control, or "
                    + "whichever costs you less."
                : $"Whatever difference there is lies inside ±{Share(same.Margin)}, the smallest lift worth finding. "
                    + "Keep the control, or whichever costs you less, and try something bolder."
        );

    private static (string, string) ControlBest(Verdict.ControlBest best)
    {
        var letter = best.Control.Letter;
        if (best.IsByMoney)
            return (
                $"Keep {letter}. Nothing that was tried brings more.",
                best.Challengers == 1
                    ? "The other one brings less, and not by chance."
                    : "All others bring less, and not by chance."
            );
        var others = best.Challengers == 1 ? "The other one brings" : "All others bring";
        return ($"Keep {letter}. Nothing that was tried beats it.", $"{others} fewer, and not by chance.");
    }

    private static string Ahead(Verdict.Undecided open)
    {
        var (leader, control) = (open.Leader.Letter, open.Control.Letter);
        const string notYet = ", but not by enough to bank on.";
        if (open.Leader.Id == open.Control.Id)
            return $"{control}, the control, {(open.IsByMoney ? "brings most so far" : "is ahead")}{notYet}";
        return open.IsByMoney
            ? $"{leader} brings more than {control} so far{notYet}"
            : $"{leader} is ahead of {control}{notYet}";
    }

    private static string Disagreement(Verdict verdict, string many) =>
        (verdict.OtherMeasure, verdict.IsByMoney) switch
        {
            (null, _) => "",
            ({ } other, true) => $" By {many} {other.Letter} is ahead, and not by chance: the two disagree.",
            ({ } other, false) =>
                $" By what visitors bring {other.Letter} is ahead, and not by chance: the two disagree, so think which "
                    + "of them you live on.",
        };

    private static string Wait(Forecast forecast) =>
        $"about {Format.Count(forecast.Visitors)} more visitors settle it"
        + (forecast.Days is { } days ? $": {Span(days)} at this week’s traffic." : ".");

    private static string Span(double days) =>
        days switch
        {
            < 1.5 => "a day",
            < 60 => $"{Format.Count(days)} days",
            < 730 => $"{Format.Count(days / 30.4)} months",
            _ => "years",
        };

    private static string Share(double share) =>
        (share * 100).ToString(share >= 1 ? "0" : "0.#", CultureInfo.InvariantCulture) + "%";
}
