using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.Statistics;

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
    /// There is something to decide now: a page to keep, or a plan that is over. Before, what a decision would cost
    /// only speaks against the advice to wait.
    /// </summary>
    public static bool IsDecidable(Verdict verdict) => verdict.Keep is not null || verdict is Verdict.PlanOver;

    /// <summary>How many standard errors a page has to be ahead at the end of the test's plan.</summary>
    public static string Asked(TestReading reading) =>
        Locale.Current.Number(
            PlannedSize.Boundary(reading.Result.Facts.Alpha, reading.Result.Challengers.Count()),
            digits: 2
        );

    /// <summary>How many a single look would ask for.</summary>
    public static string AskedOnce => Locale.Current.Number(Confidence.Z95, digits: 2);

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
