using System.Collections.Frozen;
using System.Globalization;
using Wexil.Core.Common;

namespace Wexil.App.Wording;

/// <summary>
/// How a reader's language writes numbers, money, days and times (Unicode CLDR). The words around them are English, and
/// so are the names of months.
/// </summary>
public sealed class Locale
{
    private static readonly AsyncLocal<Locale?> Reader = new();

    // The columns of formats.tsv, which tools/frontend/formats.mjs writes.
    private readonly NumberFormatInfo _numbers;
    private readonly long _groupedFrom;
    private readonly string _percent,
        _money,
        _dayOfYear,
        _day,
        _time;

    private Locale(string[] columns)
    {
        _numbers = (NumberFormatInfo)NumberFormatInfo.InvariantInfo.Clone();
        _numbers.NumberDecimalSeparator = columns[0];
        _numbers.NumberGroupSeparator = columns[1];
        _numbers.NumberGroupSizes = columns[3] == "3" ? [3] : [3, 2];
        _groupedFrom = columns[2] == "2" ? 10_000 : 1000;
        (_percent, _money, _dayOfYear, _day, _time) = (columns[4], columns[5], columns[6], columns[7], columns[8]);
    }

    /// <summary>What is used where nobody's language is known: mails, files, and browsers that say nothing.</summary>
    public static readonly Locale Default = new([".", ",", "1", "3", "0%", "¤0", "d MMM yyyy", "d MMM", "HH:mm"]);

    private static readonly Lazy<FrozenDictionary<string, Locale>> Known = new(Read);

    /// <summary>That of whoever reads what is being written.</summary>
    public static Locale Current => Reader.Value ?? Default;

    /// <summary>Writes for a reader from now on, in this request or task and what it calls.</summary>
    /// <param name="languages">As a browser names them, such as "de-AT"; the first one that is known counts.</param>
    public static void Use(IEnumerable<string> languages) => Reader.Value = Find(languages);

    /// <summary>The format of the first language that is known; null where none is.</summary>
    public static Locale? Find(IEnumerable<string> languages) =>
        languages.Select(Find).FirstOrDefault(found => found is not null);

    /// <summary>A number with so many digits behind the point: "15,339.20".</summary>
    public string Number(double number, int digits) =>
        number.ToString((Math.Abs(number) < _groupedFrom ? "F" : "N") + digits, _numbers);

    /// <summary>A number with at most so many digits behind the point.</summary>
    public string Brief(double number, int digits) => number.ToString("0." + new string('#', digits), _numbers);

    /// <summary>A number that is written already, as percent.</summary>
    public string Percent(string digits) => _percent.Replace("0", digits, StringComparison.Ordinal);

    /// <summary>An amount of money: "$1,204.50", "1.204,50 $".</summary>
    /// <param name="amount">In the currency's smallest unit.</param>
    public string Money(Currency currency, decimal amount) =>
        Money(currency, (double)(amount / currency.Unit), currency.Digits);

    /// <summary>An amount that is an estimate, without the digits behind the point: "$2,140".</summary>
    /// <param name="amount">In the currency's smallest unit.</param>
    public string About(Currency currency, double amount) =>
        Money(currency, Math.Round(amount / (double)currency.Unit), 0);

    /// <summary>"9 Nov 2026", "Nov 9, 2026".</summary>
    public string Day(DateOnly day) => day.ToString(_dayOfYear, CultureInfo.InvariantCulture);

    /// <summary>The same without the year.</summary>
    public string DayOfThisYear(DateOnly day) => day.ToString(_day, CultureInfo.InvariantCulture);

    /// <summary>"18:40", "6:40 PM".</summary>
    public string Time(TimeOnly time) => time.ToString(_time, CultureInfo.InvariantCulture);

    /// <summary>An amount as the reader types it, in the currency's smallest unit; null for what is none.</summary>
    /// <remarks>
    /// "12.50" is taken from everybody, and "12,50" from whose language writes so: of others it would be 1250 or 12.50,
    /// and nobody could tell.
    /// </remarks>
    public long? ParseMoney(Currency currency, string text) =>
        currency.Parse(text) ?? (AsWritten(text.Trim()) is { } written ? currency.Parse(written) : null);

    /// <summary>A number in this language as everybody's; null for what is none, or is grouped wrongly.</summary>
    private string? AsWritten(string text)
    {
        if (_numbers.NumberDecimalSeparator != ",")
            return null;
        var parts = text.Split(',');
        // A keyboard has the space bar, and not the space that is printed.
        var groups = parts[0].Split(_numbers.NumberGroupSeparator == "." ? ['.'] : [' ', '\u00a0', '\u202f']);
        return parts.Length > 2 || groups.Skip(1).Any(group => group.Length != 3)
            ? null
            : string.Concat(groups) + (parts.Length == 2 ? "." + parts[1] : "");
    }

    private string Money(Currency currency, double amount, int digits)
    {
        var sign = _money.StartsWith("¤0", StringComparison.Ordinal) ? currency.Sign : currency.Sign.Trim();
        var positive = _money
            .Replace("0", Number(Math.Abs(amount), digits), StringComparison.Ordinal)
            .Replace("¤", sign, StringComparison.Ordinal);
        return amount < 0 ? $"−{positive}" : positive;
    }

    private static Locale? Find(string language)
    {
        var (known, tag) = (Known.Value, language);
        if (tag is "zh-TW" or "zh-HK" or "zh-MO")
            tag = "zh-Hant";
        while (tag.Length > 0)
        {
            if (known.TryGetValue(tag, out var found))
                return found;
            tag = tag[..Math.Max(0, tag.LastIndexOf('-'))];
        }
        return null;
    }

    private static FrozenDictionary<string, Locale> Read()
    {
        using var stream = typeof(Locale).Assembly.GetManifestResourceStream("Wexil.App.Wording.Data.formats.tsv")!;
        using var reader = new StreamReader(stream);
        return reader
            .ReadToEnd()
            .Split('\n', StringSplitOptions.RemoveEmptyEntries)
            .Select(line => line.Split('\t'))
            .ToFrozenDictionary(
                columns => columns[0],
                columns => new Locale(columns[1..]),
                StringComparer.OrdinalIgnoreCase
            );
    }
}

/// <summary>Amounts as their reader's language writes them.</summary>
public static class MoneyFormat
{
    /// <summary>"$1,204.50".</summary>
    /// <param name="amount">In the currency's smallest unit.</param>
    public static string Show(this Currency currency, decimal amount) => Locale.Current.Money(currency, amount);

    /// <summary>An amount that is an estimate, without the digits behind the point: "$2,140".</summary>
    /// <param name="amount">In the currency's smallest unit.</param>
    public static string About(this Currency currency, double amount) => Locale.Current.About(currency, amount);
}
