using System.Globalization;
using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.App.Wording;

/// <summary>Puts into words what a part of a week does to a verdict.</summary>
public static class WeekWording
{
    /// <summary>How far weekdays differ, and when full weeks have passed.</summary>
    public static string Say(WeekCheck week)
    {
        static string Day((DayOfWeek Day, Arm Arm) of) =>
            $"{Format.Percent(of.Arm.Rate)} on {CultureInfo.InvariantCulture.DateTimeFormat.GetDayName(of.Day)}s";
        return $"Conversions differ by weekday: {Day(week.Best)}, {Day(week.Worst)}. The pages are compared "
            + "fairly, but some weekdays count more often than others, so the lift may be that of those days. In "
            + $"{Format.Count(week.More, "day", "days")} full weeks have passed.";
    }
}
