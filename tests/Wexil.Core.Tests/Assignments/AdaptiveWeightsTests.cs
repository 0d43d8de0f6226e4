using CsCheck;
using Wexil.Core.Assignments;
using Wexil.Core.SplitTests;
using Wexil.Core.Tests.SplitTests;

namespace Wexil.Core.Tests.Assignments;

/// <summary>Weights that follow each page's chance of being the best.</summary>
public sealed class AdaptiveWeightsTests
{
    [Theory]
    // A floor of 10 for two pages leaves 80 to follow the chances.
    [InlineData("50/50", 10, "0.75 0.25", "70/30")]
    [InlineData("50/50", 10, "1 0", "90/10")]
    // 57.7, 30.5 and 11.8: the two that lose most by rounding down gain one.
    [InlineData("34/33/33", 5, "0.62 0.3 0.08", "58/30/12")]
    // Who rests goes on resting, and its chance is nobody's.
    [InlineData("50/0/50", 10, "0.3 0.4 0.3", "50/0/50")]
    // Where nothing is known of those who do not rest, they share alike.
    [InlineData("60/0/40", 10, "0 1 0", "50/0/50")]
    // Four floors of 40 are more than there is.
    [InlineData("25/25/25/25", 40, "0.7 0.1 0.1 0.1", "25/25/25/25")]
    public void Each_page_gets_a_floor_and_its_chance_of_the_rest(string now, int floor, string chances, string then) =>
        Assert.Equal(
            then,
            AdaptiveWeights.Compute([.. chances.Split(' ').Select(double.Parse)], floor, Weights.Parse(now)).ToString()
        );

    [Fact]
    public void Nobody_falls_below_the_floor_and_a_better_chance_never_gets_less() =>
        Gen.Select(WeightsTests.AnyWeights, Gen.Int[1, 10], Gen.Double[0, 1].Array[10])
            .AlwaysHolds(
                (now, floor, chances) =>
                {
                    var then = AdaptiveWeights.Compute([.. chances.Take(now.Count)], floor, now);
                    var taking = Enumerable.Range(0, now.Count).Where(page => now[page] > 0).ToArray();
                    return taking.All(page => then[page] >= floor)
                        && Enumerable.Range(0, now.Count).Except(taking).All(page => then[page] == 0)
                        && taking.All(a => taking.All(b => chances[a] <= chances[b] || then[a] >= then[b]));
                }
            );
}
