using Wexil.Core.Funnels;

namespace Wexil.Core.Tests.Funnels;

public sealed class FunnelTests
{
    private static readonly Step[] Steps =
    [
        Step(1, StepKind.Sales),
        Step(2, StepKind.Checkout),
        Step(3, StepKind.Upsell),
        Step(4, StepKind.Downsell),
        Step(5, StepKind.ThankYou),
    ];

    [Theory]
    [InlineData(1, 2, 2)]
    [InlineData(3, 5, 4)]
    [InlineData(4, 5, 5)]
    [InlineData(5, null, null)]
    public void A_yes_passes_the_smaller_offer_and_a_no_meets_it(int from, int? yes, int? no)
    {
        Assert.Equal(yes, (int?)FunnelPath.Yes(Steps, Steps[from - 1])?.Id.Value);
        Assert.Equal(no, (int?)FunnelPath.No(Steps, Steps[from - 1])?.Id.Value);
    }

    [Fact]
    public void What_the_owner_says_goes_before_the_order_but_not_to_a_step_that_is_put_away()
    {
        Step[] steps =
        [
            Steps[0] with
            {
                Yes = new(4),
                No = new(2),
            },
            Steps[1] with
            {
                IsArchived = true,
            },
            .. Steps[2..],
        ];
        Assert.Equal(4, FunnelPath.Yes(steps, steps[0])!.Id.Value);
        Assert.Equal(3, FunnelPath.No(steps, steps[0])!.Id.Value);
    }

    private static Step Step(int id, StepKind kind) => new(new(id), new(1), id - 1, kind, $"s{id}", $"s{id}", null);
}
