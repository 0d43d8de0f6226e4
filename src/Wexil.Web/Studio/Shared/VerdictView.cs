using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Results;

namespace Wexil.Web.Studio.Shared;

/// <summary>How screens show a verdict, besides its words.</summary>
public static class VerdictView
{
    /// <summary>The class of its label.</summary>
    public static string Tone(VerdictKind kind) =>
        kind switch
        {
            VerdictKind.Problem or VerdictKind.Worse => "bad",
            VerdictKind.TooEarly or VerdictKind.Waiting or VerdictKind.Checking => "wait",
            _ => "good",
        };

    /// <summary>
    /// How far the page that is ahead may be from the control, always valid: a measured lift is no lasting fact. Null
    /// for the control, and while there is not enough to say.
    /// </summary>
    public static string? Range(TestReading reading, Currency currency)
    {
        if (reading.Verdict.Stakes is not { } stakes)
            return null;
        var place = reading.Result.Pages.ToList().FindIndex(page => page.Page.Id == stakes.Page.Id);
        if (stakes.IsMoney)
            return reading.Money?.Pages[place].AgainstControl?.Interval is { } money
                ? $"{WithSign(money.Low, currency)} to {WithSign(money.High, currency)} per visitor"
                : null;
        var control = reading.Result.Control.Standard.Rate;
        return control > 0 && reading.Result.Pages[place].AgainstControl?.Interval is { } interval
            ? Locale.Current.Percent(Format.LiftRange(new(interval.Low / control, interval.High / control)))
            : null;
    }

    /// <summary>An amount with its sign, that of a gain too.</summary>
    public static string WithSign(double amount, Currency currency) =>
        (amount > 0 ? "+" : "") + currency.Show((decimal)amount);
}
