using Wexil.Core.Results;

namespace Wexil.App.Wording;

/// <summary>Says how much of a test is still to come; the same words wherever it is said.</summary>
public static class ForecastWording
{
    private const double TwoDays = 1.5,
        Months = 60,
        Years = 730,
        DaysOfMonth = 30.4;

    /// <summary>"about 400 to 1,600 more visitors should decide it: 2 to 8 days at …", a whole clause.</summary>
    /// <param name="forecast">Null while nothing can be compared.</param>
    public static string Say(Forecast? forecast) =>
        forecast is null
            ? "nothing can be compared while the control, or every other one, gets no visitors."
            : (forecast.IfLeadHolds ? "if the lead holds, " : "")
                + $"about {Visitors(forecast)} more visitors should decide it"
                + (Days(forecast) is { } days ? $": {days} at the traffic of the last 7 days." : ".");

    /// <summary>"400 to 1,600", or one number where that is not uncertain.</summary>
    public static string Visitors(Forecast forecast) =>
        forecast.Least == forecast.Most
            ? Format.Count(forecast.Most)
            : $"{Format.Count(forecast.Least)} to {Format.Count(forecast.Most)}";

    /// <summary>How long it takes, as "2 to 8 days" or "a day"; null where the traffic is not known.</summary>
    public static string? Days(Forecast forecast)
    {
        if (forecast.Days is not { } days)
            return null;
        var (least, most) = (Span(days.Least), Span(days.Most));
        return least == most ? most
            : days.Most < Months ? $"{Format.Count(Math.Max(1, days.Least))} to {most}"
            : days is { Least: >= Months, Most: < Years } ? $"{Format.Count(days.Least / DaysOfMonth)} to {most}"
            : $"{least} to {most}";
    }

    private static string Span(double days) =>
        days switch
        {
            < TwoDays => "a day",
            < Months => $"{Format.Count(days)} days",
            < Years => $"{Format.Count(days / DaysOfMonth)} months",
            _ => "several years",
        };
}
