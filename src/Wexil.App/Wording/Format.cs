using System.Globalization;
using Wexil.Core.Statistics;

namespace Wexil.App.Wording;

/// <summary>Numbers as screens show them.</summary>
public static class Format
{
    private const string Minus = "−";

    /// <summary>"15,339".</summary>
    public static string Count(long number) => Locale.Current.Number(number, 0);

    /// <summary>A count for where there is little room: "15,339", "46.0 M".</summary>
    public static string Brief(long number) =>
        number < 1_000_000 ? Count(number)
        : number < 1_000_000_000 ? $"{Significant(number / 1e6)} M"
        : $"{Significant(number / 1e9)} bn";

    /// <summary>A number that is no whole one, rounded: "15,339".</summary>
    public static string Count(double number) => Count((long)Math.Round(number));

    /// <summary>A number of which only two digits are known: "13,000".</summary>
    public static string Rounded(double number)
    {
        var unit = Math.Pow(10, Math.Max(0, Math.Floor(Math.Log10(Math.Max(1, number))) - 1));
        return Count((long)(Math.Round(number / unit) * unit));
    }

    /// <summary>"1 visitor", "2,104 visitors".</summary>
    public static string Count(long number, string one, string many) => $"{Count(number)} {(number == 1 ? one : many)}";

    /// <summary>"9 Nov 2026".</summary>
    public static string Day(DateOnly day) => Locale.Current.Day(day);

    /// <summary>A name in quotation marks, unless it has its own.</summary>
    public static string Quoted(string name) => name.StartsWith('“') ? name : $"“{name}”";

    /// <summary>Words with a capital letter at the start.</summary>
    public static string Capital(string words) => char.ToUpperInvariant(words[0]) + words[1..];

    /// <summary>A share as "26.8%"; small rates with more digits.</summary>
    public static string Percent(double share) =>
        Locale.Current.Percent(Digits(share * 100, Math.Abs(share) is > 0 and < 0.01 ? 2 : 1));

    /// <summary>How sure the test's rule is, as "24.8%"; never rounded up to certainty.</summary>
    /// <param name="confidence">0 to 1; null while there is too little to say anything.</param>
    public static string Confidence(double? confidence) =>
        confidence is { } sure
            ? Locale.Current.Percent(Digits(Math.Min(99.9, Math.Floor(sure * 1000) / 10), 1))
            : "too early";

    /// <summary>A share somebody set, as "20%" or "2.5%".</summary>
    public static string Plain(double share) => Locale.Current.Percent(Locale.Current.Brief(share * 100, 2));

    /// <summary>A lift as "+12.5%" or "−3%".</summary>
    public static string Lift(double share) =>
        Math.Abs(share) < 0.0005
            ? Locale.Current.Percent("±0")
            : Locale.Current.Percent(
                (share < 0 ? Minus : "+") + Digits(Math.Abs(share) * 100, Math.Abs(share) >= 10 ? 0 : 1)
            );

    /// <summary>"24.7 to 28.9", in percent.</summary>
    public static string Range(Interval interval) =>
        $"{Digits(interval.Low * 100, 1)} to {Digits(interval.High * 100, 1)}";

    /// <summary>"−2.2 to +28.6", in percent.</summary>
    public static string LiftRange(Interval interval) => $"{Signed(interval.Low)} to {Signed(interval.High)}";

    /// <summary>A coordinate in a drawing.</summary>
    public static string At(double place) => place.ToString("0.##", CultureInfo.InvariantCulture);

    private static string Signed(double share) => (share < 0 ? Minus : "+") + Digits(Math.Abs(share) * 100, 1);

    private static string Significant(double number) =>
        Digits(
            number,
            number < 10 ? 2
                : number < 100 ? 1
                : 0
        );

    private static string Digits(double number, int digits) => Locale.Current.Number(number, digits);
}
