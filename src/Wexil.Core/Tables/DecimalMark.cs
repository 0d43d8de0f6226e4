using System.Globalization;
using System.Text;

namespace Wexil.Core.Tables;

/// <summary>What a file writes before the cents; the names are stored.</summary>
public enum DecimalMark
{
    /// <summary>1,204.50.</summary>
    Point,

    /// <summary>1.204,50.</summary>
    Comma,
}

/// <summary>Amounts as files write them.</summary>
public static class WrittenAmount
{
    /// <summary>
    /// The mark that an amount is written with, as far as it tells by itself: 12,50 does, 1,204 does not. Null where it
    /// can be read both ways, or has neither.
    /// </summary>
    public static DecimalMark? MarkOf(string written)
    {
        var text = Digits(written);
        var (comma, point) = (text.LastIndexOf(','), text.LastIndexOf('.'));
        if (comma >= 0 && point >= 0)
            return comma > point ? DecimalMark.Comma : DecimalMark.Point;
        var last = Math.Max(comma, point);
        if (last < 0)
            return null;
        var (own, other) = comma >= 0 ? (DecimalMark.Comma, DecimalMark.Point) : (DecimalMark.Point, DecimalMark.Comma);
        // Two of a kind stand between thousands.
        if (text.IndexOf(text[last]) < last)
            return other;
        var isGroup = text.Length - last - 1 == 3 && last is >= 1 and <= 3 && text[0] != '0';
        return isGroup ? null : own;
    }

    /// <summary>It is one amount with a point and another with a comma.</summary>
    public static bool IsAmbiguous(string written) =>
        MarkOf(written) is null && Digits(written).AsSpan().ContainsAny(',', '.');

    /// <summary>
    /// The same with a point before the cents and at most commas between thousands, without spaces; a code or sign of
    /// the currency behind it goes before it.
    /// </summary>
    /// <param name="sign">As it stands before an amount.</param>
    public static string Normalize(string written, DecimalMark mark, string code, string sign)
    {
        var text = written.Trim();
        foreach (var name in (string[])[code, sign.Trim()])
        {
            if (text.EndsWith(name, StringComparison.OrdinalIgnoreCase))
                text = text[..^name.Length].Trim();
            else if (text.StartsWith(name, StringComparison.OrdinalIgnoreCase))
                text = text[name.Length..].Trim();
        }
        var plain = new StringBuilder(text.Length);
        foreach (var letter in text)
        {
            if (IsGap(letter))
                continue;
            plain.Append(
                (letter, mark) switch
                {
                    (',', DecimalMark.Comma) => '.',
                    ('.', DecimalMark.Comma) => ',',
                    _ => letter,
                }
            );
        }
        return plain.ToString();
    }

    private static string Digits(string written) =>
        string.Concat(written.Where(letter => char.IsAsciiDigit(letter) || letter is ',' or '.'));

    // Between thousands some write a space or an apostrophe.
    private static bool IsGap(char letter) =>
        letter is '\'' or '’' || char.GetUnicodeCategory(letter) == UnicodeCategory.SpaceSeparator;
}
