using CsCheck;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Funnels;

public sealed class StepOpportunityTests
{
    private static readonly FunnelId Funnel = new(1);

    [Fact]
    public void What_a_better_page_brings_follows_from_traffic_loss_and_value()
    {
        var steps = Steps(StepKind.OptIn, StepKind.Sales, StepKind.ThankYou);
        var chances = StepOpportunity
            .Find(steps, Traffic((100, 10_000), (400, 2500), (2, 100)), earned: 490_000)
            .ToArray();
        Assert.Equal([steps[0], steps[1]], chances.Select(chance => chance.Step));
        // A quarter goes on, a fifth more of them is 5 in a hundred: 35 a week, each worth what the 2,500 brought on
        // average.
        Assert.Equal((0.25, 0.3), (chances[0].GoesOn, chances[0].Better));
        Assert.Equal(35, chances[0].MorePerWeek, 1e-9);
        Assert.Equal(35 * 196, chances[0].WorthPerWeek!.Value, 1e-6);
        Assert.Equal(Planner.PlannedTotal(0.25, 0.2, 2) / 100, chances[0].Days, 1e-9);
        Assert.Equal(400 * 7 * 0.008 * 4900, chances[1].WorthPerWeek!.Value, 1e-6);
        Assert.All(StepOpportunity.Find(steps, Traffic((100, 10_000), (400, 2500), (2, 100)), earned: 0), chance =>
            Assert.Null(chance.WorthPerWeek)
        );
    }

    [Fact]
    public void What_is_not_possible_and_what_cannot_be_found_in_a_year_is_not_offered()
    {
        var steps = Steps(StepKind.Upsell, StepKind.ThankYou);
        // Of 948 in a thousand who go on, a fifth more would be 1,138.
        Assert.Empty(StepOpportunity.Find(steps, Traffic((500, 1000), (470, 948)), 0));
        Assert.Empty(StepOpportunity.Find(steps, Traffic((500, 1000), (470, 834)), 0));
        var chance = Assert.Single(StepOpportunity.Find(steps, Traffic((500, 1000), (470, 833)), 0));
        Assert.Equal(0.9996, chance.Better, 1e-9);
        Assert.Empty(StepOpportunity.Find(steps, Traffic((1, 1000), (1, 5)), 0));
        // Nobody comes any more, too few came, nobody went on, or nobody stopped.
        Assert.Empty(StepOpportunity.Find(steps, Traffic((0, 1000), (0, 500)), 0));
        Assert.Empty(StepOpportunity.Find(steps, Traffic((50, 90), (20, 40)), 0));
        Assert.Empty(StepOpportunity.Find(steps, Traffic((50, 1000), (0, 0)), 0));
        Assert.Empty(StepOpportunity.Find(steps, Traffic((50, 1000), (60, 1200)), 0));
        Assert.Empty(
            StepOpportunity.Find([steps[0] with { IsArchived = true }, steps[1]], Traffic((500, 1000), (470, 940)), 0)
        );
    }

    [Fact]
    public void Whatever_the_traffic_what_is_offered_can_be_won_and_found() =>
        Gen.Select(
                Gen.Double[0, 5000],
                Gen.Long[0, 1_000_000],
                Gen.Long[0, 1_000_000],
                Gen.Long[-1_000_000, 100_000_000]
            )
            .AlwaysHolds(
                (perDay, here, there, earned) =>
                {
                    foreach (
                        var chance in StepOpportunity.Find(
                            Steps(StepKind.Sales, StepKind.ThankYou),
                            Traffic((perDay, here), (perDay, there)),
                            earned
                        )
                    )
                    {
                        Assert.InRange(chance.GoesOn, 1e-9, 1 - 1e-9);
                        Assert.InRange(chance.Better, chance.GoesOn, 1);
                        Assert.InRange(chance.Days, 0, 365);
                        Assert.InRange(chance.MorePerWeek, 0, perDay * 7 * (1 - chance.GoesOn));
                        Assert.True(chance.WorthPerWeek is null or > 0);
                    }
                }
            );

    private static Step[] Steps(params StepKind[] kinds) =>
        [.. kinds.Select((kind, i) => new Step(new(i + 1), Funnel, i, kind, $"Step {i}", $"step-{i}", new(i + 1)))];

    private static Dictionary<StepId, StepTraffic> Traffic(params (double PerDay, long Reached)[] steps) =>
        steps.Select((step, i) => (new StepId(i + 1), new StepTraffic(step.PerDay, step.Reached))).ToDictionary();
}
