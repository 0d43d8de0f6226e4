using System.Globalization;
using CsCheck;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Statistics;

/// <summary>Every method against values computed by R (Reference/*.csv).</summary>
public sealed class ReferenceTests
{
    public static TheoryData<string> Methods => [.. EvidenceMethod.All.Select(method => method.Name)];

    /// <summary>Each computed column of each file, to the tolerance of its method.</summary>
    [Theory]
    [MemberData(nameof(Methods))]
    public void Every_method_computes_what_R_does(string name)
    {
        var method = EvidenceMethod.Find(name)!;
        foreach (var row in Rows(name))
        {
            var figures = method.Compute(method.Given.ToDictionary(column => column, column => row[column]));
            Assert.Equal(row.Keys.Except(method.Given), figures.Select(figure => figure.Name));
            foreach (var figure in figures)
            {
                foreach (
                    var (expected, got) in row[figure.Name]
                        .Split(';')
                        .Zip(figure.Values, (expected, got) => (expected, got))
                )
                    Near(name, figure.Name, expected, got);
            }
        }
    }

    private static void Near(string method, string column, string expected, object got)
    {
        if (got is string text)
            Assert.Equal(expected, text);
        else if (expected == "NA")
            Assert.True(double.IsNaN((double)got), $"{column} of {method}: {got} instead of NA");
        else
        {
            var (value, number) = (double.Parse(expected, CultureInfo.InvariantCulture), (double)got);
            var (relative, absolute) = (method, column) switch
            {
                ("posterior-two", "chance_b_beats_a") or ("posterior-best", _) => (0, 1e-5),
                ("posterior-two", _) => (1e-6, 1e-9),
                ("sections-logit", _) => (1e-5, 1e-10),
                _ => (1e-8, 1e-10),
            };
            Assert.True(
                Math.Abs(value - number) <= Math.Max(absolute, Math.Abs(value) * relative),
                $"{column} of {method}: {number:R} instead of {expected}"
            );
        }
    }

    [Theory]
    [InlineData("two-proportions", "100,101,100,3", "101 conversions of 100 visitors")]
    [InlineData("two-proportions", "0,0,100,3", "a page needs a visitor")]
    [InlineData("posterior-best", "100;200,3", "as many values")]
    [InlineData("planner", "0,0.1,0.8,0.05", "base_rate lies between 0 and 1")]
    [InlineData("sample-ratio", "10;x,1;1", "is no count")]
    [InlineData("phases-cmh", "10;1;10", "a phase is")]
    [InlineData("peek-safe", "100,3,100,5,0,0.2", "above 0")]
    [InlineData("planned", "10;1;10;2,1,0.2,0", "base_rate lies between 0 and 1")]
    [InlineData("planned", "10;1;10,0.1,0.2,0", "a phase is")]
    [InlineData("planned-size", "1,0.05,1", "power lies between 0 and 1")]
    [InlineData("planned-size", "0.8,0.05,0", "challengers lies between 1 and 1000")]
    [InlineData("planned-size", "0.8,0.05,1001", "challengers lies between 1 and 1000")]
    [InlineData("sections-logit", "2,0;10;1|2;10;1", "a cell is")]
    public void What_cannot_be_computed_is_said_in_words(string name, string cells, string problem)
    {
        var method = EvidenceMethod.Find(name)!;
        var row = method.Given.Zip(cells.Split(',')).ToDictionary(cell => cell.First, cell => cell.Second);
        Assert.Contains(
            problem,
            Assert.Throws<FormatException>(() => method.Compute(row)).Message,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public void Chances_add_up_to_one_and_what_two_pages_lose_differs_by_the_difference_of_their_means() =>
        Gen.Select(Gen.Int[1, 400], Gen.Int[1, 400], Gen.Int[1, 400])
            .AlwaysHolds(
                (x, y, z) =>
                {
                    RatePosterior[] pages =
                    [
                        new(new Arm(1000, x)),
                        new(new Arm(100_000, y * 100)),
                        new(new Arm(400, z)),
                    ];
                    var (chances, losses) = RatePosterior.Compare(pages);
                    Assert.Equal(1, chances.Sum(), 1e-7);
                    Assert.All(losses, loss => Assert.InRange(loss, -1e-12, 1));
                    // Between two pages what the one loses and the other does differ by the difference of the means.
                    var (ahead, two) = RatePosterior.Compare([pages[0], pages[1]]);
                    Assert.Equal(1, ahead.Sum(), 1e-7);
                    Assert.Equal((y * 100 + 1) / 100_002.0 - (x + 1) / 1002.0, two[0] - two[1], 1e-9);
                }
            );

    [Fact]
    public void Means_combine_within_phases_and_not_across_them()
    {
        // Both phases differ by 1; pooled, the page with more visitors in the poor phase would look worse.
        static RevenueSample Of(long visitors, double mean) =>
            new(visitors, visitors * mean, visitors * (mean * mean + 4));
        var estimate = Phases.DifferenceOfMeans([(Of(1000, 10), Of(4000, 11)), (Of(4000, 2), Of(1000, 3))])!.Value;
        Assert.Equal(1, estimate.Difference, 1e-12);
        Assert.Equal(4 * (1 / 1000.0 + 1 / 4000.0) / 2, estimate.Variance, 1e-5);
        Assert.Null(Phases.DifferenceOfMeans([(Of(1, 10), Of(4000, 11))]));
    }

    [Fact]
    public void A_pair_that_beats_its_parts_stands_out_and_parts_that_only_add_up_do_not()
    {
        static Arm Of(double rate) => new(4000, (long)(4000 * rate));
        Assert.Null(
            InteractionTable
                .From([
                    [Of(0.05), Of(0.06)],
                    [Of(0.07), Of(0.083)],
                ])
                .Standout
        );
        var better = InteractionTable
            .From([
                [Of(0.05), Of(0.05)],
                [Of(0.05), Of(0.10)],
            ])
            .Standout;
        Assert.Equal((1, 1), (better!.First, better.Second));
        Assert.True(better.Expected < 0.10);
        Assert.Null(
            InteractionTable
                .From([
                    [Of(0.05), default],
                    [Of(0.05), Of(0.10)],
                ])
                .Standout
        );
    }

    [Fact]
    public void Two_takings_of_which_nothing_is_known_are_not_compared()
    {
        Assert.Null(RevenueSample.Compare(new(5, 0, 0), new(9, 0, 0)));
        Assert.Null(RevenueSample.Compare(new(1, 50, 2500), new(9, 50, 2500)));
    }

    private static IEnumerable<Dictionary<string, string>> Rows(string name)
    {
        var lines = File.ReadAllLines(Path.Combine(AppContext.BaseDirectory, "Reference", name + ".csv"));
        var columns = lines[0].Split(',');
        Assert.True(lines.Length > 10, "the reference file has cases");
        return lines
            .Skip(1)
            .Select(line => columns.Zip(line.Split(',')).ToDictionary(cell => cell.First, cell => cell.Second));
    }
}
