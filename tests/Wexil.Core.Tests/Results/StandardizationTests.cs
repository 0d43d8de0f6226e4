using CsCheck;
using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Results;

/// <summary>After a change of weights no figure says the opposite of another.</summary>
public sealed class StandardizationTests
{
    [Fact]
    public void With_one_phase_every_figure_is_that_of_the_plain_counts()
    {
        var standing = Counted([
            [new(1000, 217), new(1000, 240)],
        ]);
        Assert.False(standing.IsStandardized);
        Assert.Equal(0.217, standing.Pages[0].Standard.Rate, 12);
        Assert.Equal(WilsonInterval.Compute(new Arm(1000, 240)), standing.Pages[1].Rate);
    }

    [Fact]
    public void A_page_that_got_its_visitors_in_a_bad_week_is_not_called_worse_for_it()
    {
        // Within each phase B is better; in the sums A is, because it had most visitors while everybody converted more.
        var standing = Counted([
            [new(9000, 2700), new(1000, 340)],
            [new(1000, 50), new(9000, 630)],
        ]);
        Assert.True(standing.Pages[0].Total.Rate > standing.Pages[1].Total.Rate);
        Assert.True(standing.IsStandardized);
        Assert.True(standing.Pages[0].Standard.Rate < standing.Pages[1].Standard.Rate);
        Assert.True(standing.Pages[0].ChanceBest < standing.Pages[1].ChanceBest);
        Assert.Equal(
            standing.Pages[1].AgainstControl!.Difference,
            standing.Pages[1].Standard.Rate - standing.Pages[0].Standard.Rate,
            12
        );
        Assert.Equal("B", VerdictRule.Apply(standing).Keep!.Letter);
        Assert.Equal("B", ExpectedLoss.From(standing, keep: null).Page.Letter);
        Assert.Equal((0.3 + 0.05) / 2, standing.Pages[0].Standard.Rate, 12);
    }

    /// <summary>
    /// Phases with any weights, any rates, any sizes: what is called better shows the higher rate and the higher
    /// chance, what is called worse the lower ones.
    /// </summary>
    [Fact]
    public void The_page_called_better_never_has_the_lower_rate_or_the_lower_chance()
    {
        var called = 0;
        Gen.Select(Gen.Int[0, 1_000_000], Gen.Int[2, 4], Gen.Int[1, 6])
            .AlwaysHolds(
                (seed, pages, phases) =>
                {
                    var random = new Random(seed);
                    var lift = Enumerable.Range(0, pages).Select(_ => 0.6 + random.NextDouble()).ToArray();
                    var standing = Standing([
                        .. Enumerable
                            .Range(0, phases)
                            .Select(_ =>
                            {
                                var rate = 0.01 + 0.4 * random.NextDouble();
                                return new PhaseFacts(
                                    [],
                                    [
                                        .. Enumerable
                                            .Range(0, pages)
                                            .Select(page =>
                                            {
                                                var visitors =
                                                    random.Next(4) == 0 ? random.Next(5) : random.Next(20_000);
                                                return new Arm(
                                                    visitors,
                                                    (long)(
                                                        visitors
                                                        * Math.Min(
                                                            1,
                                                            rate * lift[page] * (0.8 + 0.4 * random.NextDouble())
                                                        )
                                                    )
                                                );
                                            }),
                                    ]
                                );
                            }),
                    ]);
                    foreach (
                        var page in standing.Challengers.Where(page =>
                            page.AgainstControl is { P: <= TestResult.Alpha }
                        )
                    )
                    {
                        Interlocked.Increment(ref called);
                        var isBetter = page.AgainstControl!.Difference > 0;
                        Assert.Equal(isBetter, page.Standard.Rate > standing.Control.Standard.Rate);
                        if (pages == 2)
                            Assert.Equal(isBetter, page.ChanceBest > standing.Control.ChanceBest);
                        else
                            Assert.True(
                                isBetter
                                    ? page.ChanceBest >= standing.Control.ChanceBest - 1e-6
                                    : page.ChanceBest <= standing.Control.ChanceBest + 1e-6
                            );
                        if (isBetter && page.AgainstControl.Interval is { } interval)
                            Assert.True(interval.Low >= 0);
                    }
                },
                iter: 3000
            );
        Assert.True(called > FixedCases.Part(1000), $"{called} calls");
    }

    [Fact]
    public void Money_follows_the_same_rule()
    {
        var facts = Facts([new([], [new(9000, 900), new(1000, 110)]), new([], [new(1000, 20), new(9000, 230)])]);
        RevenueSample[][] phases =
        [
            [Orders(9000, 900, 5000), Orders(1000, 110, 5000)],
            [Orders(1000, 20, 5000), Orders(9000, 230, 5000)],
        ];
        var money = RevenueResult.From(facts, phases, new(100, null), []);
        Assert.True(money.Pages[0].Total.Mean > money.Pages[1].Total.Mean);
        Assert.True(money.Pages[0].Standard.Mean < money.Pages[1].Standard.Mean);
        Assert.True(money.Pages[0].ChanceBest < money.Pages[1].ChanceBest);
        Assert.Equal(
            money.Pages[1].AgainstControl!.Difference,
            money.Pages[1].Standard.Mean - money.Pages[0].Standard.Mean,
            9
        );
        Assert.Equal(money.Pages[1].Total.Visitors, money.Pages[1].Standard.Visitors);

        static RevenueSample Orders(long visitors, long orders, double each) =>
            new(visitors, orders * each, orders * each * each);
    }

    [Theory]
    [InlineData(24, false)]
    [InlineData(25, true)]
    public void Nothing_is_said_of_confidence_below_25_conversions_on_each_page(long conversions, bool isSaid)
    {
        var standing = Counted([
            [new(1000, conversions), new(1000, 200)],
        ]);
        Assert.Equal(isSaid, standing.Pages[1].AgainstControl!.Confidence is not null);
        Assert.Equal(isSaid, VerdictRule.Apply(standing).Stakes!.Confidence is not null);
    }

    private static TestResult Counted(Arm[][] phases) => Standing([.. phases.Select(arms => new PhaseFacts([], arms))]);

    private static TestResult Standing(IReadOnlyList<PhaseFacts> phases) => TestResult.From(Facts(phases));

    private static TestFacts Facts(IReadOnlyList<PhaseFacts> phases)
    {
        var pages = phases[0].Arms.Count;
        return new(
            [.. Enumerable.Range(0, pages).Select(i => new TestPage(new(i + 1), $"{(char)('A' + i)}", $"Page {i}"))],
            0,
            [
                .. phases.Select(phase =>
                    phase with
                    {
                        Weights = [.. phase.Arms.Select(arm => (int)Math.Min(arm.Visitors, int.MaxValue))],
                    }
                ),
            ],
            0.2,
            0.2,
            100,
            null,
            ("opt-ins", "opt-in")
        );
    }
}
