using System.Globalization;

namespace Wexil.App.Backups;

/// <summary>When a backup is due, and which are kept.</summary>
public static class BackupPlan
{
    /// <summary>From here on a data file is copied once a night instead of every hour, in bytes.</summary>
    public const long MaxHourly = 500_000_000;

    private const int Days = 7,
        Weeks = 4,
        Months = 12,
        Night = 3;
    private static readonly TimeSpan Hour = TimeSpan.FromHours(1),
        Day = TimeSpan.FromDays(1);

    /// <summary>Whether the next backup is due.</summary>
    /// <param name="last">When the last was made; null where there is none, and one is due.</param>
    /// <param name="size">Of the data file, in bytes.</param>
    public static bool IsDue(DateTimeOffset? last, DateTimeOffset now, long size, TimeZoneInfo zone)
    {
        if (last is not { } before)
            return true;
        if (size <= MaxHourly)
            return now - before >= Hour;
        var today = TimeZoneInfo.ConvertTime(now, zone);
        return now - before >= Day || (today.Hour == Night && now - before >= Hour);
    }

    /// <summary>
    /// Those that nobody needs any more. Kept are all of the last day and, of those before, the newest of each of the
    /// last 7 days, 4 weeks and 12 months that have one.
    /// </summary>
    public static IReadOnlyList<DateTimeOffset> Obsolete(
        IReadOnlyCollection<DateTimeOffset> made,
        DateTimeOffset now,
        TimeZoneInfo zone
    )
    {
        DateTime Local(DateTimeOffset moment) => TimeZoneInfo.ConvertTime(moment, zone).DateTime;
        var newestFirst = made.OrderDescending().ToArray();
        IEnumerable<DateTimeOffset> NewestOf<T>(Func<DateTime, T> span, int count) =>
            newestFirst.GroupBy(moment => span(Local(moment))).Take(count).Select(group => group.First());
        var kept = newestFirst
            .Where(moment => now - moment < Day)
            .Concat(NewestOf(local => local.Date, Days))
            .Concat(NewestOf(local => (ISOWeek.GetYear(local), ISOWeek.GetWeekOfYear(local)), Weeks))
            .Concat(NewestOf(local => (local.Year, local.Month), Months))
            .ToHashSet();
        return [.. newestFirst.Where(moment => !kept.Contains(moment))];
    }
}
