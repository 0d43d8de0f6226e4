using System.Globalization;
using System.Text.RegularExpressions;

namespace Wexil.Core.Tables;

/// <summary>In which order a file writes days in digits; the names are stored.</summary>
public enum DayOrder
{
    /// <summary>31/12/2026.</summary>
    DayFirst,

    /// <summary>12/31/2026.</summary>
    MonthFirst,
}

/// <summary>Days and times as files write them.</summary>
public static partial class WrittenDay
{
    private static readonly string[] Named =
    [
        "d MMM yyyy",
        "d MMMM yyyy",
        "MMM d yyyy",
        "MMMM d yyyy",
        "yyyy MM dd",
        "yyyyMMdd",
    ];

    /// <summary>
    /// The order that a text is in, as far as it tells by itself: 31/12/2026 does, and so does whoever writes points.
    /// Null where it can be read both ways, or is not written in that way at all.
    /// </summary>
    public static DayOrder? OrderOf(string written)
    {
        if (Digits().Match(written) is not { Success: true } day)
            return null;
        var (first, second) = (Number(day, "first"), Number(day, "second"));
        if (first > 12 && second <= 12 || day.Groups["mark"].Value == ".")
            return DayOrder.DayFirst;
        return second > 12 && first <= 12 ? DayOrder.MonthFirst : null;
    }

    /// <summary>It is one day in one order and another in the other.</summary>
    public static bool IsAmbiguous(string written) =>
        Digits().Match(written) is { Success: true } day
        && OrderOf(written) is null
        && Number(day, "first") is >= 1 and <= 12
        && Number(day, "second") is >= 1 and <= 12
        && Number(day, "first") != Number(day, "second");

    /// <summary>
    /// The same in the form 2026-12-31 or 2026-12-31 14:22:05; the text as it is where it is in that form, or is no
    /// day.
    /// </summary>
    public static string Normalize(string written, DayOrder order)
    {
        var text = written.Trim();
        var (day, time) = Split(text);
        if (day is null)
            return text;
        var date = Digits().Match(day) is { Success: true } digits ? Date(digits, order) : Date(day);
        if (date is not { } found)
            return text;
        if (time.Length == 0)
            return Iso(found);
        return TimeOnly.TryParse(time, CultureInfo.InvariantCulture, out var clock)
            ? $"{Iso(found)} {clock.ToString("HH:mm:ss", CultureInfo.InvariantCulture)}"
            : text;
    }

    private static (string? Day, string Time) Split(string text) =>
        WithTime().Match(text) is { Success: true } parts
            ? (parts.Groups["day"].Value.TrimEnd(',', ' '), parts.Groups["time"].Value)
            : (null, "");

    private static DateOnly? Date(Match digits, DayOrder order)
    {
        var (day, month) = (Number(digits, "first"), Number(digits, "second"));
        if (order == DayOrder.MonthFirst)
            (day, month) = (month, day);
        var year = Number(digits, "year");
        if (year < 100)
            year += 2000;
        return month is >= 1 and <= 12 && day >= 1 && day <= DateTime.DaysInMonth(year, month)
            ? new DateOnly(year, month, day)
            : null;
    }

    private static DateOnly? Date(string named) =>
        DateOnly.TryParseExact(
            named.Replace(",", "", StringComparison.Ordinal).Replace('/', ' '),
            Named,
            CultureInfo.InvariantCulture,
            DateTimeStyles.AllowInnerWhite,
            out var date
        )
            ? date
            : null;

    private static string Iso(DateOnly date) => date.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    private static int Number(Match day, string part) =>
        int.Parse(day.Groups[part].Value, CultureInfo.InvariantCulture);

    [GeneratedRegex(
        @"^\s*(?<first>[0-9]{1,2})(?<mark>[/.-])(?<second>[0-9]{1,2})\k<mark>(?<year>[1-9][0-9]{3}|[0-9]{2})(?![0-9])"
    )]
    private static partial Regex Digits();

    [GeneratedRegex(
        @"^(?<day>.*?)(?:[ T,]+(?<time>[0-9]{1,2}:[0-9]{2}(?::[0-9]{2})?(?:\.[0-9]+)?(?: ?[AaPp]\.?[Mm]\.?)?))?$"
    )]
    private static partial Regex WithTime();
}
