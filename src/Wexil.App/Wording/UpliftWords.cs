using Wexil.Core.Results;

namespace Wexil.App.Wording;

/// <summary>What a check measures, as people read it.</summary>
/// <param name="IsMoney">By what visitors bring, and not by the main goal.</param>
/// <param name="Many">What conversions are called.</param>
/// <param name="Money">An amount in the owner's currency, from its smallest unit.</param>
public sealed record UpliftWords(MeasuredUplift Measured, bool IsMoney, string Many, Func<double, string> Money)
{
    /// <summary>What the page did to have it.</summary>
    public string Verb => IsMoney ? "earned" : "got";

    /// <summary>"12% more opt-ins", or "$0.12 less per visitor".</summary>
    public string Amount
    {
        get
        {
            var isLess = Measured.Difference < 0;
            if (IsMoney)
                return $"{Money(Math.Abs(Measured.Difference))} {(isLess ? "less" : "more")} per visitor";
            var word = isLess ? "fewer" : "more";
            return Measured.Lift is { } lift
                ? $"{Locale.Current.Percent(Locale.Current.Brief(Math.Abs(lift) * 100, 1))} {word} {Many}"
                : $"{word} {Many}";
        }
    }

    /// <summary>"−3% to +27%"; null while there is too little to tell.</summary>
    public string? Range =>
        IsMoney
            ? Measured.Range is { } range
                ? $"{Signed(range.Low)} to {Signed(range.High)} per visitor"
                : null
            : Measured.LiftRange is { } lifts
                ? Locale.Current.Percent(Format.LiftRange(lifts))
                : null;

    /// <summary>"+12% (−3% to +27%)"; null while there is too little to tell.</summary>
    public string? Brief =>
        Range is null ? null
        : IsMoney ? $"{Signed(Measured.Difference)} ({Range})"
        : $"{Format.Lift(Measured.Lift!.Value)} ({Range})";

    private string Signed(double amount) => (amount > 0 ? "+" : "") + Money(amount);
}
