using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Statistics;

public sealed class SectionsPlanTests
{
    [Fact]
    public void Two_sections_of_two_versions_share_their_visitors()
    {
        var plan = SectionsPlan.For([2, 2], 0.1, 0.2);
        double Each(int compared) => Planner.PlannedTotal(0.1, 0.2, compared) / compared;
        // Three things are compared together: the first versions, and the second of each section.
        Assert.Equal(2 * Each(3), plan.AllAtOnce, 1e-6);
        Assert.Equal(2 * 2 * Each(2), plan.OneAtATime, 1e-6);
        Assert.Equal(4 * Each(4), plan.AsPages, 1e-6);
        Assert.True(plan.AllAtOnce < plan.OneAtATime && plan.OneAtATime < plan.AsPages);
    }

    [Fact]
    public void One_section_is_a_test_as_of_pages()
    {
        var plan = SectionsPlan.For([3], 0.1, 0.2);
        Assert.Equal(plan.OneAtATime, plan.AllAtOnce, 1e-6);
        Assert.Equal(plan.AsPages, plan.AllAtOnce, 1e-6);
    }

    [Theory]
    [InlineData(6, true)]
    [InlineData(7, false)]
    public void More_than_a_hundred_combinations_are_no_pages(int sections, bool isFinite) =>
        Assert.Equal(
            isFinite,
            double.IsFinite(SectionsPlan.For([.. Enumerable.Repeat(2, sections)], 0.1, 0.2).AsPages)
        );
}
