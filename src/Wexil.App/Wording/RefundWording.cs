using Wexil.Core.Common;
using Wexil.Core.Sales;

namespace Wexil.App.Wording;

/// <summary>Says what went back of an order.</summary>
public static class RefundWording
{
    /// <summary>“$9.00 refunded”; null where nothing was.</summary>
    public static string? Say(Currency currency, OrderBalance balance) =>
        balance switch
        {
            { Refunded: 0 } => null,
            { IsWaiting: true } => $"{currency.Show(balance.Refunded)} refunded, but no sale is known yet",
            _ when balance.Refunded > balance.Sold => $"{currency.Show(balance.Refunded)} refunded, "
                + $"{currency.Show(balance.Refunded - balance.Sold)} more than was paid",
            _ => $"{currency.Show(balance.Refunded)} refunded",
        };
}
