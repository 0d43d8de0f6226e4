using System.Globalization;
using Wexil.Core.Common;

namespace Wexil.Core.Sales;

/// <summary>
/// What one unit of a currency was worth in the owner's, from a day on until the next rate of that currency.
/// </summary>
/// <param name="Worth">Units of the owner's currency for one of this, above 0.</param>
public sealed record ExchangeRate(Currency Currency, DateOnly From, decimal Worth)
{
    private const decimal Min = 0.000001m,
        Max = 1_000_000m;

    /// <summary>
    /// A rate as a person writes it, with a point and at most six digits behind it; null for what is none.
    /// </summary>
    public static decimal? Parse(string? written) =>
        decimal.TryParse(written?.Trim(), NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var worth)
        && worth is >= Min and <= Max
        && decimal.Round(worth, 6) == worth
            ? worth
            : null;
}

/// <summary>The owner's rates. What no rate is known for stays in its own currency and is never guessed.</summary>
public sealed class ExchangeRates
{
    private readonly Dictionary<string, ExchangeRate[]> _rates;

    /// <param name="own">The owner's currency, which needs no rate.</param>
    /// <param name="rates">In any order; each holds from its day on.</param>
    public ExchangeRates(Currency own, IEnumerable<ExchangeRate> rates)
    {
        Own = own;
        _rates = rates
            .GroupBy(rate => rate.Currency.Code)
            .ToDictionary(group => group.Key, group => group.OrderByDescending(rate => rate.From).ToArray());
    }

    /// <summary>The currency that the owner counts in.</summary>
    public Currency Own { get; }

    /// <summary>The currencies that have a rate, besides the owner’s own.</summary>
    public IReadOnlyCollection<string> Currencies => _rates.Keys;

    /// <summary>
    /// What an amount was worth on a day in the owner's currency's smallest unit, halves rounded away from 0; null
    /// where no rate is known for that day.
    /// </summary>
    /// <param name="amount">In its own currency's smallest unit.</param>
    public long? Worth(string currency, long amount, DateOnly day)
    {
        if (currency == Own.Code)
            return amount;
        if (
            !_rates.TryGetValue(currency, out var rates) || Array.Find(rates, rate => rate.From <= day) is not { } known
        )
            return null;
        return (long)Math.Round(amount / known.Currency.Unit * known.Worth * Own.Unit, MidpointRounding.AwayFromZero);
    }

    /// <summary>
    /// An amount of one currency in another, by what both were worth on a day; null where a rate is not known.
    /// </summary>
    /// <param name="amount">In the smallest unit of <paramref name="from"/>, above 0; so is the result.</param>
    public long? Convert(long amount, string from, string to, DateOnly day)
    {
        // What a million smallest units are worth, so that rounding does no harm.
        const long million = 1_000_000;
        if (Worth(from, million, day) is not { } given || Worth(to, million, day) is not (> 0 and var taken))
            return null;
        return Math.Max(1, (long)Math.Round((decimal)amount * given / taken, MidpointRounding.AwayFromZero));
    }
}
