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
}
