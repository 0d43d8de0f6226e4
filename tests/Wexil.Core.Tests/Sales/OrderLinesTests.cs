using CsCheck;
using Wexil.Core.Sales;

namespace Wexil.Core.Tests.Sales;

/// <summary>What is left of an order is shared over its products to the cent.</summary>
public sealed class OrderLinesTests
{
    [Fact]
    public void A_refund_is_the_products_that_it_names_and_otherwise_the_whole_orders()
    {
        SaleNotice Sold(string product, long amount) => new(SaleKind.Sale, "L-1", product, amount, "USD", product);
        SaleNotice Back(string product, long amount) => new(SaleKind.Refund, "L-1", "R", amount, "USD", product);
        SaleNotice[] told = [Sold("Kit", 4900), Sold("Light", 2450), Back("", 735), Back("LIGHT", 2450)];
        var lines = told.Aggregate((IReadOnlyList<OrderLine>)[], OrderLines.With);
        Assert.Equal(
            [("Kit", 4900L, 0L), ("Light", 2450, 2450)],
            lines.Select(line => (line.Product, line.Balance.Sold, line.Balance.Refunded))
        );
        Assert.Equal([4165, 0], OrderLines.Share(4900 - 735, lines));
        Assert.Equal([4410, 2205], OrderLines.Share(7350 - 735, [lines[0], new("Light", new(2450, 0))]));
    }

    [Fact]
    public void Shares_add_up_to_the_whole_and_are_the_fair_ones_but_for_rounding() =>
        Gen.Select(
                Gen.Long[0, 1_000_000_000_000],
                Gen.Select(Gen.Long[0, 10_000_000_000], Gen.Long[0, 3000]).Array[1, 6]
            )
            .Sample(
                (whole, told) =>
                {
                    OrderLine[] lines = [.. told.Select((one, i) => new OrderLine($"{i}", new(one.Item1, one.Item2)))];
                    var left = lines.Sum(line => (decimal)line.Balance.Net);
                    var shares = OrderLines.Share(whole, lines);
                    Assert.Equal(left == 0 ? 0 : whole, shares.Sum());
                    foreach (var (line, share) in lines.Zip(shares))
                    {
                        var fair = left == 0 ? 0 : (decimal)whole * line.Balance.Net / left;
                        Assert.InRange(share, Math.Max(0, fair - 1), fair + 1);
                    }
                }
            );
}
