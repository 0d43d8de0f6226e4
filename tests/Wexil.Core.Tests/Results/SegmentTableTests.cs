using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Results;

public sealed class SegmentTableTests
{
    [Fact]
    public void Who_searches_two_hundred_groups_without_a_difference_finds_none()
    {
        var random = new Random(7);
        Arm Luck(int visitors) => new(visitors, Enumerable.Range(0, visitors).Count(_ => random.NextDouble() < 0.1));
        var found = Enumerable
            .Range(0, 20)
            .Count(_ =>
                SegmentTable
                    .FromRates(
                        [
                            .. Enumerable
                                .Range(0, 200)
                                .Select(i => new Segment<Arm>(
                                    $"{i}",
                                    [
                                        [Luck(600), Luck(600)],
                                    ]
                                )),
                        ],
                        0,
                        0.2
                    )
                    .Rows.Any(row => row.Cells[1].P <= SegmentTable.Alpha)
            );
        // Five in a hundred tables may: of twenty, hardly ever more than three do.
        Assert.True(found <= 3, $"{found} of 20 tables");
    }

    [Fact]
    public void A_difference_that_is_there_is_found_among_others_and_small_groups_are_not_compared()
    {
        Segment<Arm>[] segments =
        [
            .. Enumerable
                .Range(0, 20)
                .Select(i => new Segment<Arm>(
                    $"none {i}",
                    [
                        [new(2000, 200), new(2000, 201)],
                    ]
                )),
            new(
                "phones",
                [
                    [new(2000, 200), new(2000, 340)],
                ]
            ),
            new(
                "few",
                [
                    [new(90, 9), new(90, 30)],
                ]
            ),
        ];
        var table = SegmentTable.FromRates(segments, 0, 0.2);
        Assert.Equal(21, table.Comparisons);
        Assert.Equal("phones", Assert.Single(table.Rows, row => row.Cells[1].P <= SegmentTable.Alpha).Name);
        Assert.True(table.Rows.Single(row => row.Name == "few").IsSmall);
    }

    [Fact]
    public void Weights_changed_midway_do_not_make_a_difference_of_a_group()
    {
        // The page got most visitors on the better days; within each stretch the pages are alike.
        var table = SegmentTable.FromRates(
            [
                new(
                    "phones",
                    [
                        [new(4000, 800), new(1000, 200)],
                        [new(1000, 50), new(4000, 200)],
                    ]
                ),
            ],
            0,
            0.2
        );
        Assert.Equal(0, table.Rows[0].Cells[1].Lift!.Value, 9);
        Assert.Equal(table.Rows[0].Cells[0].Value, table.Rows[0].Cells[1].Value, 9);
        Assert.Equal(1, table.Rows[0].Cells[1].P, 2);
    }

    [Fact]
    public void A_group_is_compared_as_the_whole_test_is_and_the_largest_stands_first()
    {
        var table = SegmentTable.FromRates(
            [Group("tablets", new(300, 30), new(300, 36)), Group("phones", new(2000, 200), new(2100, 280))],
            0,
            0.2
        );
        Assert.Equal(["phones", "tablets"], table.Rows.Select(row => row.Name));
        Assert.Equal([4100L, 600L], table.Rows.Select(row => row.Visitors));
        var (control, page) = (table.Rows[0].Cells[0], table.Rows[0].Cells[1]);
        Assert.Equal((new Arm(2100, 280), 280 / 2100.0), (page.Sum, page.Value));
        Assert.Equal(((double?)null, 1.0), (control.Lift, control.P));
        Assert.Equal(1 / 3.0, page.Lift!.Value, 1e-9);
        double P(Arm a, Arm b) => AlwaysValidTest.At(Phases.Difference([new(a, b)])!.Value, 0.2 * (a + b).Rate).P;
        var adjusted = Holm.Adjust([P(new(300, 30), new(300, 36)), P(new(2000, 200), new(2100, 280))]);
        Assert.Equal(adjusted[1], page.P, 1e-12);
        Assert.Equal(adjusted[0], table.Rows[1].Cells[1].P, 1e-12);
    }

    [Theory]
    [InlineData(24, 60)]
    [InlineData(60, 24)]
    [InlineData(25, 60)]
    [InlineData(60, 25)]
    [InlineData(0, 60)]
    public void Below_25_conversions_on_a_page_nothing_is_compared(long control, long page)
    {
        var table = SegmentTable.FromRates([Group("phones", new(400, control), new(400, page))], 0, 0.2);
        var isCompared = Math.Min(control, page) >= 25;
        Assert.Equal(isCompared ? 1 : 0, table.Comparisons);
        Assert.Equal(!isCompared, table.Rows[0].IsSmall);
        Assert.Equal(isCompared, table.Rows[0].Cells[1].P < 1);
        Assert.Equal(control > 0, table.Rows[0].Cells[1].Lift is not null);
    }

    [Fact]
    public void By_money_a_group_is_compared_by_what_its_visitors_brought()
    {
        RevenueSample Sold(long buyers) => new(4000, buyers * 3900.0, buyers * 3900.0 * 3900);
        Segment<RevenueSample> Money(string name, long a, long b) =>
            new(
                name,
                [
                    [Sold(a), Sold(b)],
                ]
            );
        var table = SegmentTable.FromMoney([Money("phones", 200, 300), Money("few", 24, 300)], 0, 0.2);
        Assert.Equal(1, table.Comparisons);
        var phones = table.Rows.Single(row => row.Name == "phones");
        Assert.Equal(300 * 3900 / 4000.0, phones.Cells[1].Value, 1e-9);
        Assert.Equal(0.5, phones.Cells[1].Lift!.Value, 1e-9);
        Assert.True(phones.Cells[1].P < SegmentTable.Alpha);
        Assert.Equal((8000L, false), (phones.Visitors, phones.IsSmall));
        Assert.True(table.Rows.Single(row => row.Name == "few").IsSmall);
    }

    private static Segment<Arm> Group(string name, Arm a, Arm b) =>
        new(
            name,
            [
                [a, b],
            ]
        );
}
