using System.Globalization;

namespace Wexil.Core.Common;

/// <summary>A currency by its ISO 4217 code. Amounts are whole numbers of its smallest unit.</summary>
/// <param name="Digits">How many digits stand behind the point.</param>
public sealed record Currency(string Code, string Sign, int Digits)
{
    /// <summary>What is counted in where the owner says nothing.</summary>
    public static readonly Currency Default = new("USD", "$", 2);

    /// <summary>Those that can be chosen.</summary>
    public static IReadOnlyList<Currency> All { get; } =
    [
        new("AUD", "A$", 2),
        new("BRL", "R$", 2),
        new("CAD", "C$", 2),
        new("CHF", "CHF ", 2),
        new("CZK", "CZK ", 2),
        new("DKK", "DKK ", 2),
        new("EUR", "€", 2),
        new("GBP", "£", 2),
        new("HUF", "HUF ", 2),
        new("INR", "₹", 2),
        new("JPY", "¥", 0),
        new("KRW", "₩", 0),
        new("MXN", "MX$", 2),
        new("NOK", "NOK ", 2),
        new("NZD", "NZ$", 2),
        new("PLN", "PLN ", 2),
        new("SEK", "SEK ", 2),
        new("SGD", "S$", 2),
        Default,
        new("ZAR", "R", 2),
    ];

    /// <summary>How many of the smallest unit make one.</summary>
    public decimal Unit => (decimal)Math.Pow(10, Digits);

    /// <summary>The currency of an ISO 4217 code; null for a code that is not known.</summary>
    public static Currency? Find(string? code) => All.FirstOrDefault(currency => currency.Code == code);

    /// <summary>How <see cref="Parse"/> would be given the amount.</summary>
    public string Write(long amount) => (amount / Unit).ToString("F" + Digits, CultureInfo.InvariantCulture);

    /// <summary>
    /// An amount as a person or a file writes it, such as "12.50" or "1,204.5"; null for what is none, is negative, or
    /// has more digits than the currency.
    /// </summary>
    public long? Parse(string? written)
    {
        var text = (written ?? "").Trim();
        // Another currency's sign is another amount.
        if (text.StartsWith(Sign.Trim(), StringComparison.Ordinal))
            text = text[Sign.Trim().Length..].Trim();
        if (
            !decimal.TryParse(
                text,
                NumberStyles.AllowDecimalPoint | NumberStyles.AllowThousands,
                CultureInfo.InvariantCulture,
                out var amount
            )
            || amount > 1_000_000_000
        )
            return null;
        // "12,50" would silently become 1250.
        var comma = text.LastIndexOf(',');
        if (comma >= 0 && (text.Length - comma - 1 < 3 || text.IndexOf('.') is >= 0 and var point && point < comma))
            return null;
        var units = amount * Unit;
        return units == Math.Floor(units) ? (long)units : null;
    }
}
