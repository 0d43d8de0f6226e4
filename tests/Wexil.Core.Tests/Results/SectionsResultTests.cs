using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Results;

public sealed class SectionsResultTests
{
    [Fact]
    public void The_best_versions_are_expected_to_bring_what_their_parts_add_up_to()
    {
        // 10%, and odds that rise by half with each of two versions: nothing works differently together.
        var cells = Cells((a, b) => Odds(0.1, a + b));
        var result = Put(cells);
        Assert.Equal([1, 1], result.Best);
        Assert.True(result.IsByOdds);
        Assert.Equal(0.1, result.FirstRate!.Value, 1e-3);
        Assert.Equal(Odds(0.1, 2), result.BestRate!.Value, 1e-3);
        Assert.Equal(cells.Single(cell => cell.Versions is [1, 1]).Arm, result.Seen);
        Assert.Equal([Math.Log(1.5), Math.Log(1.5)], result.Effects.Select(effect => effect.Size), Near);
        Assert.Empty(result.Interactions);
    }

    [Fact]
    public void A_pair_that_does_better_than_its_parts_is_named()
    {
        var result = Put(Cells((a, b) => a == 1 && b == 1 ? 0.14 : 0.1));
        var interaction = Assert.Single(result.Interactions);
        Assert.Equal(
            (0, 1, 1, 1),
            (interaction.First, interaction.Second, interaction.Pair.First, interaction.Pair.Second)
        );
    }

    [Fact]
    public void Without_conversions_nothing_is_expected_of_anything()
    {
        var result = Put(Cells((_, _) => 0));
        Assert.Equal(((double?)null, (double?)null), (result.FirstRate, result.BestRate));
        Assert.Empty(result.Effects);
    }

    [Fact]
    public void Where_combinations_are_not_counted_the_pairs_tell_what_each_version_adds()
    {
        // 32 versions each: more combinations than are counted, each version a little better than the one before.
        static double RateOf(int a, int b) => 0.1 + 0.002 * a + 0.001 * b;
        CombinationArm[] all =
        [
            .. from a in Enumerable.Range(0, 33)
            from b in Enumerable.Range(0, 32)
            select new CombinationArm([a, b], new(1000, (long)Math.Round(1000 * RateOf(a, b)))),
        ];
        var result = Put(all);
        Assert.False(result.IsByOdds);
        Assert.Equal(RateOf(0, 0), result.FirstRate!.Value, 1e-3);
        Assert.Equal(RateOf(32, 31), result.BestRate!.Value, 1e-3);
        Assert.Equal(0.002 * 7, result.Effects.Single(effect => effect is { Section: 0, Version: 7 }).Size, 1e-3);
        Assert.Equal(0.001 * 9, result.Effects.Single(effect => effect is { Section: 1, Version: 9 }).Size, 1e-3);
    }

    [Fact]
    public void Of_two_versions_that_do_not_go_together_the_one_is_best_that_brings_more()
    {
        var cells = Cells((a, b) => 0.1 + 0.02 * a + 0.01 * b);
        Assert.Equal([1, 1], Put(cells).Best);
        ExcludedPair[] excluded = [new((1, 1), (0, 1))];
        var result = Put(cells, excluded);
        Assert.Equal([1, 0], result.Best);
        Assert.Equal(0.12, result.BestRate!.Value, 1e-3);
        Assert.Equal(0.1, result.FirstRate!.Value, 1e-3);
    }

    [Fact]
    public void One_section_by_pairs_is_the_difference_of_its_rates()
    {
        var fit = LinearProbabilityModel.Fit(
            [
                [new(2000, 100), new(1000, 80)],
            ],
            (_, _) => 0
        )!;
        var effect = Assert.Single(fit.Effects);
        Assert.Equal(0.03, effect.Difference, 1e-12);
        // The spread of both, as if they had the rate over all.
        Assert.Equal(Math.Sqrt(0.06 * 0.94 * (1 / 2000.0 + 1 / 1000.0)), effect.StandardError, 1e-12);
        Assert.Equal(0.08, fit.RateOf([1]), 1e-12);
        Assert.Null(
            LinearProbabilityModel.Fit(
                [
                    [new(2000, 0), new(1000, 0)],
                ],
                (_, _) => 0
            )
        );
        Assert.Null(
            LinearProbabilityModel.Fit(
                [
                    [new(2000, 10), new(0, 0)],
                ],
                (_, _) => 0
            )
        );
    }

    [Fact]
    public void Comparisons_of_the_other_sections_are_adjusted_for_together()
    {
        var facts = Facts([new(4000, 400), new(4000, 520)]);
        var alone = TestResult.From(facts).Pages[1].AgainstControl!;
        var beside = TestResult.From(facts with { Beside = [1, 1, 1] }).Pages[1].AgainstControl!;
        Assert.Equal(alone.Raw!.Value * 4, beside.P, 1e-12);
        Assert.Equal(alone.Raw, beside.Raw);
        Assert.True(beside.Interval!.Value.Low < alone.Interval!.Value.Low);
        // What is sure already is adjusted for no more.
        var surer = TestResult.From(facts with { Beside = [1e-12, 1, 1] }).Pages[1].AgainstControl!;
        Assert.Equal(alone.Raw.Value * 3, surer.P, 1e-12);
    }

    private static double Odds(double rate, int times)
    {
        var odds = rate / (1 - rate) * Math.Pow(1.5, times);
        return odds / (1 + odds);
    }

    private static bool Near(double one, double other) => Math.Abs(one - other) < 1e-2;

    private static CombinationArm[] Cells(Func<int, int, double> rate) =>
        [
            .. from a in Enumerable.Range(0, 2)
            from b in Enumerable.Range(0, 2)
            select new CombinationArm([a, b], new(20_000, (long)Math.Round(20_000 * rate(a, b)))),
        ];

    private static SectionsResult Put(CombinationArm[] cells, ExcludedPair[]? excluded = null)
    {
        Arm Sum(Func<CombinationArm, bool> which) =>
            cells.Where(which).Aggregate(new Arm(), (sum, cell) => sum + cell.Arm);
        TestResult Section(int section)
        {
            var count = cells.Max(cell => cell.Versions[section]) + 1;
            return TestResult.From(
                Facts([.. Enumerable.Range(0, count).Select(version => Sum(cell => cell.Versions[section] == version))])
            );
        }
        return SectionsResult.From(
            [Section(0), Section(1)],
            cells,
            (one, other) =>
                Sum(cell => cell.Versions[one.Section] == one.Version && cell.Versions[other.Section] == other.Version),
            excluded
        );
    }

    private static TestFacts Facts(IReadOnlyList<Arm> arms) =>
        new(
            [.. arms.Select((_, i) => new TestPage(new(i + 1), $"{i}", $"Version {i}"))],
            0,
            [new([.. arms.Select(_ => 1)], arms)],
            0.1,
            0.2,
            100,
            null,
            ("sales", "sale")
        );
}
