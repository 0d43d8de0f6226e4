using Wexil.Core.Common;
using Wexil.Core.Sales;

namespace Wexil.Core.Tests.Sales;

/// <summary>What orders brought, and what amounts are worth in another currency.</summary>
public sealed class MoneyTests
{
    private static readonly DateOnly Day = new(2026, 11, 9);
    private static readonly Currency Eur = Currency.Find("EUR")!;
    private static readonly Currency Jpy = Currency.Find("JPY")!;

    private static ExchangeRates Rates =>
        new(Currency.Default, [new(Eur, Day, 1.08m), new(Eur, Day.AddDays(2), 1.1m), new(Jpy, Day, 0.0065m)]);

    [Theory]
    [InlineData(0, 0, 0, false)]
    [InlineData(4900, 0, 4900, false)]
    [InlineData(4900, 900, 4000, false)]
    [InlineData(4900, 4900, 0, false)]
    [InlineData(4900, 5000, 0, false)]
    [InlineData(0, 900, 0, true)]
    public void An_order_brings_what_was_sold_without_what_went_back_and_never_less_than_nothing(
        long sold,
        long refunded,
        long net,
        bool waits
    )
    {
        var balance = new OrderBalance().With(SaleKind.Refund, refunded).With(SaleKind.Sale, sold);
        Assert.Equal(new OrderBalance(sold, refunded), balance);
        Assert.Equal((net, waits), (balance.Net, balance.IsWaiting));
    }

    [Fact]
    public void Lines_and_refunds_of_an_order_add_up() =>
        Assert.Equal(
            new OrderBalance(7300, 500),
            new OrderBalance()
                .With(SaleKind.Sale, 4900)
                .With(SaleKind.Sale, 2400)
                .With(SaleKind.Refund, 200)
                .With(SaleKind.Refund, 300)
        );

    [Theory]
    [InlineData("USD", 4900, -100, 4900L)]
    [InlineData("EUR", 4900, -1, null)]
    [InlineData("EUR", 4900, 0, 5292L)]
    [InlineData("EUR", 4900, 1, 5292L)]
    [InlineData("EUR", 4900, 2, 5390L)]
    [InlineData("EUR", 125, 2, 138L)]
    [InlineData("JPY", 1000, 0, 650L)]
    [InlineData("SEK", 1000, 0, null)]
    public void An_amount_is_worth_what_the_newest_rate_before_its_day_says(
        string currency,
        long amount,
        int day,
        long? worth
    ) => Assert.Equal(worth, Rates.Worth(currency, amount, Day.AddDays(day)));

    [Theory]
    [InlineData(4900, "EUR", "USD", 5292L)]
    [InlineData(5292, "USD", "EUR", 4900L)]
    [InlineData(1000, "JPY", "EUR", 602L)]
    [InlineData(1, "USD", "EUR", 1L)]
    [InlineData(4900, "EUR", "SEK", null)]
    [InlineData(4900, "SEK", "EUR", null)]
    public void An_amount_is_changed_by_what_both_currencies_were_worth(
        long amount,
        string from,
        string to,
        long? changed
    ) => Assert.Equal(changed, Rates.Convert(amount, from, to, Day));

    [Theory]
    [InlineData("1.08", 1.08)]
    [InlineData(" 0.000001 ", 0.000001)]
    [InlineData("0.0000001", null)]
    [InlineData("0", null)]
    [InlineData("1000000", 1000000.0)]
    [InlineData("1000001", null)]
    [InlineData("1.1234567", null)]
    [InlineData("1,08", null)]
    [InlineData("-1", null)]
    [InlineData("", null)]
    [InlineData(null, null)]
    public void A_rate_is_read_as_a_person_writes_it(string? written, double? rate) =>
        Assert.Equal((decimal?)rate, ExchangeRate.Parse(written));
}
