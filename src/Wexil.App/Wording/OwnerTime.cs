using Wexil.Store;

namespace Wexil.App.Wording;

/// <summary>Moments as the owner's clock shows them.</summary>
public sealed class OwnerTime(SettingStore settings, TimeProvider time)
{
    /// <summary>The moment, in universal time.</summary>
    public DateTimeOffset Now => time.GetUtcNow();

    /// <summary>The owner's day.</summary>
    public DateOnly Today => LocalDay(Now);

    /// <summary>"9 Nov".</summary>
    public string Day(DateTimeOffset moment) =>
        Local(moment).Year == Local(Now).Year
            ? Locale.Current.DayOfThisYear(LocalDay(moment))
            : Locale.Current.Day(LocalDay(moment));

    /// <summary>"9 Nov, 18:40".</summary>
    public string Moment(DateTimeOffset moment) => $"{Locale.Current.DayOfThisYear(LocalDay(moment))}, {Clock(moment)}";

    /// <summary>"just now", "2 minutes ago", "yesterday 18:40", and from then on the moment.</summary>
    public string Ago(DateTimeOffset moment)
    {
        var passed = Now - moment;
        if (passed < TimeSpan.FromMinutes(1))
            return "just now";
        if (passed < TimeSpan.FromHours(1))
            return Format.Count((long)passed.TotalMinutes, "minute", "minutes") + " ago";
        if (Local(moment).Date == Local(Now).Date)
            return Format.Count((long)passed.TotalHours, "hour", "hours") + " ago";
        return Local(moment).Date == Local(Now).Date.AddDays(-1) ? $"yesterday {Clock(moment)}" : Moment(moment);
    }

    /// <summary>The moment by the owner's clock.</summary>
    public DateTimeOffset Local(DateTimeOffset moment) => TimeZoneInfo.ConvertTime(moment, settings.Zone);

    private DateOnly LocalDay(DateTimeOffset moment) => DateOnly.FromDateTime(Local(moment).DateTime);

    private string Clock(DateTimeOffset moment) => Locale.Current.Time(TimeOnly.FromDateTime(Local(moment).DateTime));
}
