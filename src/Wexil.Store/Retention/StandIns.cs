using System.Security.Cryptography;
using System.Text.RegularExpressions;
using Wexil.Core.Sales;

namespace Wexil.Store.Retention;

/// <summary>
/// What stands for addresses that are removed where a text contains one: made by chance, so that it leads back to
/// nobody, and one for each address, so that two orders stay two.
/// </summary>
internal sealed class StandIns
{
    private readonly Dictionary<string, string> _words;
    private readonly Regex _addresses;

    /// <param name="emails">Capitals or not.</param>
    public StandIns(IEnumerable<string> emails)
    {
        _words = emails
            .Distinct(StringComparer.OrdinalIgnoreCase)
            .ToDictionary(
                email => email,
                _ => $"removed-{Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(6))}",
                StringComparer.OrdinalIgnoreCase
            );
        // Part of a longer address is somebody else's.
        _addresses = new(
            $@"(?<![\p{{L}}\p{{Nd}}._+])(?:{string.Join('|', _words.Keys.Select(Regex.Escape))})(?!\p{{L}}|\.\p{{L}})",
            RegexOptions.IgnoreCase | RegexOptions.CultureInvariant
        );
    }

    /// <summary>The addresses, as they were given.</summary>
    public IReadOnlyCollection<string> Emails => _words.Keys;

    /// <summary>Is it one of the addresses?</summary>
    public bool Has(string email) => _words.ContainsKey(email);

    public string Replace(string text) =>
        // To a pattern, more letters are alike than to addresses: the sign of Kelvin is a k.
        text.Contains('@', StringComparison.Ordinal)
            ? _addresses.Replace(text, found => _words.GetValueOrDefault(found.Value, found.Value))
            : text;

    public SaleNotice Replace(SaleNotice sale) =>
        sale with
        {
            Email = Has(sale.Email) ? "" : sale.Email,
            Order = Replace(sale.Order),
            Line = Replace(sale.Line),
            Product = Replace(sale.Product),
            Page = Replace(sale.Page),
        };
}
