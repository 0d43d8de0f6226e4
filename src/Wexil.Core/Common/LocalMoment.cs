using System.Globalization;

namespace Wexil.Core.Common;

/// <summary>Moments as a person writes them: by the clock on the wall of their time zone.</summary>
public static class LocalMoment
{
    private static readonly string[] Formats =
    [
        "yyyy-MM-ddTHH:mm",
        "yyyy-MM-ddTHH:mm:ss",
        "yyyy-MM-dd HH:mm",
        "yyyy-MM-dd HH:mm:ss",
        "yyyy-MM-dd",
    ];

    /// <summary>
    /// The moment meant, or what is wrong with it. An hour that a clock change makes twice is its first.
    /// </summary>
    /// <param name="written">"2026-11-09T18:40"; empty for none, which is no problem.</param>
    public static (DateTimeOffset? Moment, string? Problem) Parse(string? written, TimeZoneInfo zone)
    {
        if (string.IsNullOrWhiteSpace(written))
            return (null, null);
        if (
            !DateTime.TryParseExact(
                written.Trim(),
                Formats,
                CultureInfo.InvariantCulture,
                DateTimeStyles.None,
                out var local
            )
        )
            return (null, "Enter a day and a time, such as 2026-11-09 18:40.");
        if (zone.IsInvalidTime(local))
            return (null, $"{local:HH:mm} does not exist on that day: the clocks go forward past it.");
        var offset = zone.IsAmbiguousTime(local) ? zone.GetAmbiguousTimeOffsets(local).Max() : zone.GetUtcOffset(local);
        return (new DateTimeOffset(local, offset).ToUniversalTime(), null);
    }

    /// <summary>How <see cref="Parse"/> would be given the moment.</summary>
    public static string Write(DateTimeOffset moment, TimeZoneInfo zone) =>
        TimeZoneInfo.ConvertTime(moment, zone).ToString(Formats[0], CultureInfo.InvariantCulture);
}
