using Wexil.Core.Results;

namespace Wexil.App.Wording;

/// <summary>Puts what the check of a kept page says into words.</summary>
public static class CheckWording
{
    private const string EndedLabel = "Checked";

    /// <summary>While it goes on.</summary>
    /// <param name="verdict">That of a check.</param>
    /// <param name="many">What conversions are called.</param>
    /// <param name="money">An amount in the owner's currency, from its smallest unit.</param>
    public static (string Sentence, string Why) Say(Verdict verdict, string many, Func<double, string> money) =>
        verdict switch
        {
            Verdict.KeptWorse worse => Say(worse, many, money),
            Verdict.Checked check => Say(check, many, money),
            _ => throw new ArgumentOutOfRangeException(nameof(verdict)),
        };

    private static (string, string) Say(Verdict.Checked check, string many, Func<double, string> money)
    {
        var (kept, replaced) = (Format.Quoted(check.Kept.Name), Format.Quoted(check.Replaced.Name));
        var goesOn = $"Until the check ends, a share of the visitors sees {replaced}.";
        if (Words(check.Measured, check, many, money) is not { Range: { } range } words)
            return ($"Too little to tell yet what {kept} brings.", goesOn);
        var luck = check.IsConfirmed ? "more than chance would explain" : "chance may still be why";
        var sentence = Got(words, kept, replaced);
        return (check.IsConfirmed ? sentence : $"So far, {sentence}", $"Likely range: {range}; {luck}. {goesOn}");
    }

    private static (string Sentence, string Why) Say(Verdict.KeptWorse worse, string many, Func<double, string> money)
    {
        var words = new UpliftWords(worse.Measured, worse.IsByMoney, many, money);
        var (kept, replaced) = (Format.Quoted(worse.Kept.Name), Format.Quoted(worse.Replaced.Name));
        return (
            $"Bring back {replaced}. {kept}, which replaced it, {words.Verb} {words.Amount}.",
            $"Likely range: {words.Range}. That is more than chance would explain."
        );
    }

    /// <summary>What a check that is over has measured; null where a problem kept it from measuring.</summary>
    /// <inheritdoc cref="Say(Verdict, string, Func{double, string})"/>
    public static VerdictText? Ended(Verdict verdict, string many, Func<double, string> money) =>
        verdict switch
        {
            Verdict.KeptWorse worse => Ended(worse.Kept, worse.Replaced, Words(worse.Measured, worse, many, money)),
            Verdict.Checked check => Ended(check.Kept, check.Replaced, Words(check.Measured, check, many, money)),
            _ => null,
        };

    private static VerdictText Ended(TestPage kept, TestPage replaced, UpliftWords? words)
    {
        var name = Format.Quoted(kept.Name);
        return words is { Range: { } range }
            ? new(EndedLabel, Got(words, name, Format.Quoted(replaced.Name)), $"Likely range: {range}.")
            : new(EndedLabel, $"Too few visitors came to measure what {name} brings.", "");
    }

    private static UpliftWords? Words(
        MeasuredUplift? measured,
        Verdict verdict,
        string many,
        Func<double, string> money
    ) => measured is null ? null : new(measured, verdict.IsByMoney, many, money);

    private static string Got(UpliftWords words, string kept, string replaced) =>
        $"{kept} {words.Verb} {words.Amount} than {replaced}, which it replaced.";
}
