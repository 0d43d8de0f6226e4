using CsCheck;
using Wexil.Core.Assignments;

namespace Wexil.Core.Tests.Assignments;

/// <summary>A table of chances becomes one of certainties, each as often as its number says.</summary>
public sealed class UnsettledTableTests
{
    // Every such table is a sum of orders, of which each has one cell in each row and column.
    private static readonly Gen<int[][]> AnyOrders = Gen.Int[2, 7]
        .SelectMany(size => Gen.Shuffle(Enumerable.Range(0, size).ToArray()).Array[size]);

    [Fact]
    public void Whatever_is_drawn_is_an_order_of_cells_that_were_not_empty() =>
        Gen.Select(AnyOrders, Gen.Int)
            .AlwaysHolds(
                (orders, seed) =>
                {
                    var settled = Settle(orders, new Random(seed));
                    return settled.Order().SequenceEqual(Enumerable.Range(0, orders.Length))
                        && settled.Index().All(cell => Parts(orders)[cell.Index, cell.Item] > 0);
                }
            );

    [Theory]
    [InlineData("01 01", "2 0 0 2")]
    [InlineData("01 10", "1 1 1 1")]
    [InlineData("012 120 201", "1 1 1 1 1 1 1 1 1")]
    [InlineData("012 012 120", "2 1 0 0 2 1 1 0 2")]
    [InlineData("0123 1032 1032 3210", "1 2 0 1 2 1 1 0 0 1 1 2 1 0 2 1")]
    public void Each_cell_is_full_as_often_as_its_number_says(string orders, string parts)
    {
        int[][] each = [.. orders.Split(' ').Select(order => order.Select(digit => digit - '0').ToArray())];
        var size = each.Length;
        Assert.Equal(parts, string.Join(' ', Parts(each).Cast<int>()));
        const int draws = 20_000;
        var full = new int[size, size];
        var random = new Random(7);
        for (var draw = 0; draw < draws; draw++)
            foreach (var (row, column) in Settle(each, random).Index())
                full[row, column]++;
        foreach (var (row, column) in Cells(size))
            Assert.Equal(Parts(each)[row, column] / (double)size, full[row, column] / (double)draws, 0.015);
    }

    private static IEnumerable<(int Row, int Column)> Cells(int size) =>
        Enumerable.Range(0, size * size).Select(cell => (cell / size, cell % size));

    private static int[,] Parts(int[][] orders)
    {
        var parts = new int[orders.Length, orders.Length];
        foreach (var order in orders)
            for (var row = 0; row < order.Length; row++)
                parts[row, order[row]]++;
        return parts;
    }

    private static int[] Settle(int[][] orders, Random random)
    {
        var table = new UnsettledTable(orders.Length);
        var parts = Parts(orders);
        foreach (var (row, column) in Cells(orders.Length))
            if (parts[row, column] > 0)
                table.Fill(row, column, parts[row, column]);
        return table.Settle(() => (ulong)random.NextInt64());
    }
}
