using Wexil.App.Wording;

namespace Wexil.Web.Studio.Count;

/// <summary>The hours or days of a chart, by the owner's clock.</summary>
internal sealed class TimeUnits
{
    private static readonly TimeSpan Young = TimeSpan.FromDays(3);
    private readonly TimeZoneInfo _zone;
    private readonly DateTime _first;
    private readonly TimeSpan _length;

    /// <summary>From the unit of one moment to that of another: hours where they are near, else days.</summary>
    public TimeUnits(DateTimeOffset from, DateTimeOffset until, TimeZoneInfo zone)
    {
        _zone = zone;
        IsHourly = until - from < Young;
        _length = IsHourly ? TimeSpan.FromHours(1) : TimeSpan.FromDays(1);
        _first = Begin(from);
        Count = (int)Math.Round((Begin(until) - _first) / _length) + 1;
    }

    public bool IsHourly { get; }

    public int Count { get; }

    /// <summary>The unit that a moment is in, counted from 0; those outside are in the first or last.</summary>
    public int At(DateTimeOffset moment) => Math.Clamp((int)Math.Round(Units(moment)), 0, Count - 1);

    /// <summary>The same for a place between two units, as where clocks were changed.</summary>
    public double PlaceOf(DateTimeOffset moment) => Math.Clamp(Units(moment), 0, Count - 1);

    public string Name(int unit) => Name(_first + unit * _length);

    private string Name(DateTime start)
    {
        var day = Locale.Current.DayOfThisYear(DateOnly.FromDateTime(start));
        return IsHourly ? $"{day}, {Locale.Current.Time(TimeOnly.FromDateTime(start))}" : day;
    }

    private double Units(DateTimeOffset moment) => (Begin(moment) - _first) / _length;

    private DateTime Begin(DateTimeOffset moment)
    {
        var local = TimeZoneInfo.ConvertTime(moment, _zone).DateTime;
        return IsHourly ? local.Date.AddHours(local.Hour) : local.Date;
    }
}
