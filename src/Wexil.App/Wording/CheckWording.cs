using Wexil.Core.Results;

namespace Wexil.App.Wording;

/// <summary>Puts what the check of a kept page says into words.</summary>
public static class CheckWording
{
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
        if (Words(check, many, money) is not { Range: { } range } words)
            return ($"Too little to tell yet what {kept} brings.", goesOn);
        var luck = check.IsConfirmed ? "more than chance would explain" : "chance may still be why";
        return (Brings(words, kept, replaced), $"Likely range: {range}; {luck}. {goesOn}");
    }

    private static (string Sentence, string Why) Say(Verdict.KeptWorse worse, string many, Func<double, string> money)
    {
        var words = new UpliftWords(worse.Measured, worse.IsByMoney, many, money);
        var (kept, replaced) = (Format.Quoted(worse.Kept.Name), Format.Quoted(worse.Replaced.Name));
        return (
            $"Bring back {replaced}. {kept}, which replaced it, brings {words.Amount}.",
            $"Likely range: {words.Range}. That is more than chance would explain."
        );
    }

    /// <summary>What a check that is over has measured.</summary>
    public static string Ended(Verdict verdict, string many, Func<double, string> money)
    {
        if (verdict is Verdict.KeptWorse worse)
        {
            var (sentence, why) = Say(worse, many, money);
            return $"{sentence} {why}";
        }
        return verdict is Verdict.Checked check && Words(check, many, money) is { Range: { } range } words
            ? $"{Brings(words, Format.Quoted(check.Kept.Name), Format.Quoted(check.Replaced.Name))} "
                + $"Likely range: {range}."
            : "Too few visitors came to measure what it brings.";
    }

    private static UpliftWords? Words(Verdict.Checked check, string many, Func<double, string> money) =>
        check.Measured is { } measured ? new(measured, check.IsByMoney, many, money) : null;

    private static string Brings(UpliftWords words, string kept, string replaced) =>
        $"{kept} brings {words.Amount} than {replaced}, which it replaced.";
}
