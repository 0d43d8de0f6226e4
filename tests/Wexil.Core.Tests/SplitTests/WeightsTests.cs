using CsCheck;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;

namespace Wexil.Core.Tests.SplitTests;

/// <summary>Whole percents that always add up to 100.</summary>
public sealed class WeightsTests
{
    /// <summary>Two to ten weights that add up to 100, zeros among them.</summary>
    internal static readonly Gen<Weights> AnyWeights = Gen.Int[0, 100]
        .Array[1, 9]
        .Select(cuts =>
        {
            int[] edges = [0, .. cuts.Order(), 100];
            return Weights.Create([.. edges.Zip(edges.Skip(1), (from, to) => to - from)]);
        });

    [Theory]
    [InlineData("50/40", "The weights add up to 90. Add 10.")]
    [InlineData("50/49", "The weights add up to 99. Add 1.")]
    [InlineData("50/51", "The weights add up to 101. Take off 1.")]
    [InlineData("50/55", "The weights add up to 105. Take off 5.")]
    [InlineData("100", "A split test needs at least two pages.")]
    [InlineData("-1/101", "Each weight must be a whole number from 0 to 100.")]
    [InlineData("-1/50/51", "Each weight must be a whole number from 0 to 100.")]
    [InlineData("101/0", "Each weight must be a whole number from 0 to 100.")]
    [InlineData("100/0", null)]
    [InlineData("33/33/34", null)]
    public void What_cannot_be_used_says_why(string typed, string? problem)
    {
        int[] percent = [.. typed.Split('/').Select(int.Parse)];
        var (weights, found) = Weights.Check(percent);
        Assert.Equal(problem, found);
        Assert.Equal(problem is null ? typed : null, weights?.ToString());
        if (problem is not null)
            Assert.StartsWith(problem, Assert.Throws<ArgumentException>(() => Weights.Create(percent)).Message);
    }

    [Theory]
    [InlineData(2, "50/50")]
    [InlineData(3, "34/33/33")]
    [InlineData(6, "17/17/17/17/16/16")]
    public void Even_weights_give_what_is_left_over_to_the_first(int pages, string weights) =>
        Assert.Equal(weights, Weights.Even(pages).ToString());

    [Fact]
    public void Weights_survive_being_stored() =>
        AnyWeights.AlwaysHolds(weights => Weights.Parse(weights.ToString()).Equals(weights));

    [Fact]
    public void Equal_weights_are_equal_and_hash_alike()
    {
        var (one, same, other) = (Weights.Create(60, 40), Weights.Create(60, 40), Weights.Create(40, 60));
        Assert.Equal(one, same);
        Assert.Equal(one.GetHashCode(), same.GetHashCode());
        Assert.NotEqual(one, other);
        Assert.NotEqual(one.GetHashCode(), other.GetHashCode());
        Assert.False(one.Equals(null));
    }

    [Fact]
    public void A_page_that_rests_is_never_drawn() =>
        Gen.Select(AnyWeights, Gen.Double[0, 0.9999999999])
            .AlwaysHolds((weights, unit) => weights[weights.PageAt(unit)] > 0);

    [Theory]
    [InlineData(0, 1)]
    [InlineData(0.2999, 1)]
    [InlineData(0.3, 3)]
    [InlineData(0.9999, 3)]
    // As a draw may come out by rounding: never the page that rests behind.
    [InlineData(1, 3)]
    public void A_draw_falls_on_the_page_whose_share_begins_there(double unit, int page) =>
        Assert.Equal(page, Weights.Create(0, 30, 0, 70, 0).PageAt(unit));

    [Theory]
    [InlineData("50/30/20", "1", "71/0/29")]
    [InlineData("50/30/20", "0,2", "0/100/0")]
    [InlineData("40/40/20", "", "40/40/20")]
    // Nobody else has any, or nobody who rests had any: as they are.
    [InlineData("50/50/0", "0,1", "50/50/0")]
    [InlineData("50/50/0", "2", "50/50/0")]
    public void The_share_of_resting_pages_goes_to_the_others(string weights, string resting, string left)
    {
        int[] places = resting.Length == 0 ? [] : [.. resting.Split(',').Select(int.Parse)];
        Assert.Equal(left, Weights.Parse(weights).Without(places).ToString());
    }

    [Fact]
    public void Rounding_keeps_the_sum_and_moves_no_part_by_one_or_more() =>
        Gen.Double[0, 1]
            .Array[1, 12]
            .Where(parts => parts.Sum() > 0)
            .AlwaysHolds(parts =>
            {
                double[] exact = [.. parts.Select(part => part / parts.Sum() * 100)];
                var whole = LargestRemainder.Round(exact, 100);
                return whole.Sum() == 100 && exact.Zip(whole).All(pair => Math.Abs(pair.First - pair.Second) < 1);
            });

    [Fact]
    public void What_rounding_leaves_over_goes_to_those_who_lose_most()
    {
        Assert.Equal([1, 3, 6], LargestRemainder.Round([1.3, 2.5, 6.2], 10));
        Assert.Equal([2, 1, 1], LargestRemainder.Round([4 / 3.0, 4 / 3.0, 4 / 3.0], 4));
    }
}
