using CsCheck;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Statistics;

public sealed class AlwaysValidTests
{
    private static readonly Gen<Arm> AnyArm =
        from visitors in Gen.Long[1, 100_000]
        from conversions in Gen.Long[0, visitors]
        select new Arm(visitors, conversions);

    [Fact]
    public void One_phase_has_the_variance_of_two_independent_rates() =>
        Gen.Select(AnyArm, AnyArm)
            .AlwaysHolds(
                (a, b) =>
                {
                    var expected = a.Rate * (1 - a.Rate) / a.Visitors + b.Rate * (1 - b.Rate) / b.Visitors;
                    Assert.Equal(expected, Phases.Difference([new(a, b)])!.Value.Variance, 1e-12);
                }
            );

    [Fact]
    public void Interval_excludes_zero_exactly_when_the_look_is_sure() =>
        Gen.Select(AnyArm, AnyArm, Gen.Double[0.001, 0.2])
            .AlwaysHolds(
                (a, b, tau) =>
                {
                    var look = AlwaysValidTest.At(Phases.Difference([new(a, b)])!.Value, tau);
                    if (Math.Abs(look.P - 0.05) > 1e-9)
                        Assert.Equal(look.P < 0.05, !look.Difference.Contains(0));
                }
            );

    [Fact]
    public void Weights_that_change_while_the_rate_moves_do_not_invent_a_difference()
    {
        // Both pages convert alike: 10% in one phase, 30% in the next; B gets most of the visitors of the better phase.
        PhasePair[] phases = [new(new(9_000, 900), new(1_000, 100)), new(new(1_000, 300), new(9_000, 2_700))];
        Assert.Equal(0, Phases.Difference(phases)!.Value.Difference, 1e-12);
        Assert.True(
            TwoRates.PooledP(new(10_000, 1_200), new(10_000, 2_800)) < 1e-9,
            "pooled, they would look very different"
        );
    }

    [Fact]
    public void Holm_asks_more_of_the_smallest()
    {
        var adjusted = Holm.Adjust([0.03, 0.01, 0.02]);
        double[] expected = [0.04, 0.03, 0.04];
        foreach (var (want, got) in expected.Zip(adjusted))
            Assert.Equal(want, got, 1e-12);
    }
}
