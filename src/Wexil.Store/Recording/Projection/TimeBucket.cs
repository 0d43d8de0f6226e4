namespace Wexil.Store.Recording.Projection;

/// <summary>
/// The stretch of time in which something is summed up, in Unix milliseconds: quarters of an hour, since time zones
/// differ by quarters, and days of universal time.
/// </summary>
internal static class TimeBucket
{
    public const long DayLength = 24 * 60 * 60 * 1000;
    private const long QuarterLength = 15 * 60 * 1000;

    /// <summary>The start of a moment's quarter.</summary>
    public static long StartOf(long at) => at - at % QuarterLength;

    /// <summary>The start of a moment's day.</summary>
    public static long DayOf(long at) => at - at % DayLength;
}
