using Wexil.App.Backups;

namespace Wexil.App.Tests;

/// <summary>When backups are due, and which are kept.</summary>
public sealed class BackupPlanTests
{
    private const long Small = 1_000_000,
        Large = BackupPlan.MaxHourly + 1;
    private static readonly TimeZoneInfo Vienna = TimeZoneInfo.FindSystemTimeZoneById("Europe/Vienna");

    // 09:00 in Vienna.
    private static readonly DateTimeOffset Now = new(2026, 11, 9, 8, 0, 0, TimeSpan.Zero);

    [Theory]
    [InlineData(59, Small, false)]
    [InlineData(60, Small, true)]
    [InlineData(60, BackupPlan.MaxHourly, true)]
    [InlineData(60, Large, false)]
    [InlineData(24 * 60 - 1, Large, false)]
    [InlineData(24 * 60, Large, true)]
    public void One_is_due_after_an_hour_or_where_there_is_much_data_after_a_day(int minutes, long size, bool isDue) =>
        Assert.Equal(isDue, BackupPlan.IsDue(Now.AddMinutes(-minutes), Now, size, Vienna));

    [Fact]
    public void The_first_is_due_at_once() => Assert.True(BackupPlan.IsDue(null, Now, Large, Vienna));

    [Theory]
    [InlineData("2026-11-09T01:59:00Z", false)]
    [InlineData("2026-11-09T02:00:00Z", true)]
    [InlineData("2026-11-09T02:59:00Z", true)]
    [InlineData("2026-11-09T03:00:00Z", false)]
    public void Much_data_is_copied_at_three_in_the_night_by_the_owners_clock(string now, bool isDue)
    {
        var moment = DateTimeOffset.Parse(now, System.Globalization.CultureInfo.InvariantCulture);
        Assert.Equal(isDue, BackupPlan.IsDue(moment.AddHours(-12), moment, Large, Vienna));
        // And not again in the same hour.
        Assert.False(BackupPlan.IsDue(moment.AddMinutes(-30), moment, Large, Vienna));
    }

    [Fact]
    public void Of_two_years_of_hourly_backups_a_day_a_week_a_month_and_a_year_are_left()
    {
        // Deleted hour by hour, as it happens, and not all at once.
        var made = new List<DateTimeOffset>();
        for (var at = Now.AddDays(-730); at <= Now; at = at.AddHours(1))
        {
            made.Add(at);
            made = [.. made.Except(BackupPlan.Obsolete(made, at, Vienna))];
        }
        Assert.Equal(24, made.Count(moment => Now - moment < TimeSpan.FromDays(1)));
        // Seven days, four weeks and twelve months; of a Monday morning's last day are two, two and one of them.
        Assert.Equal(24 + 5 + 2 + 11, made.Count);
        foreach (var days in new[] { 1, 2, 3, 4, 5, 6 })
            Assert.Contains(made, moment => Day(moment) == Day(Now.AddDays(-days)));
        foreach (var weeks in new[] { 1, 2, 3 })
            Assert.Contains(made, moment => Math.Abs((Now.AddDays(-7 * weeks) - moment).TotalDays) <= 7);
        foreach (var months in Enumerable.Range(1, 11))
            Assert.Contains(made, moment => Math.Abs((Now.AddMonths(-months) - moment).TotalDays) <= 31);
    }

    [Fact]
    public void A_machine_that_was_off_keeps_what_it_has()
    {
        DateTimeOffset[] old = [Now.AddDays(-900), Now.AddDays(-800), Now.AddDays(-700)];
        Assert.Empty(BackupPlan.Obsolete(old, Now, Vienna));
    }

    private static DateTime Day(DateTimeOffset moment) => TimeZoneInfo.ConvertTime(moment, Vienna).Date;
}
