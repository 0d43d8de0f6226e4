using System.Globalization;
using System.Text.RegularExpressions;
using CsCheck;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Assignments;
using Wexil.Core.SplitTests;
using Wexil.Web.Studio.Workbench;

namespace Wexil.Web.Tests;

/// <summary>What is drawn stays on its paper and says what it stands for, whatever the tests were.</summary>
public sealed partial class DrawingTests
{
    private static readonly Gen<PastTest> Past = Gen.Select(Gen.Int[2, 10], Gen.Int[0, 9], Gen.String[0, 60])
        .Select(
            (pages, kept, name) =>
                new PastTest([.. Enumerable.Range(0, pages).Select(PageLetter.At)], kept % pages, name, "kept")
        );

    [Fact]
    public void A_step_s_history_draws_every_page_and_ends_all_but_those_kept() =>
        Gen.Select(Past.Array[1, 4], Gen.Bool, Gen.Int[2, 10])
            .AlwaysHolds(
                (past, runs, pages) =>
                {
                    PastTest[] tests = runs
                        ? [.. past, new([.. Enumerable.Range(0, pages).Select(PageLetter.At)], null, "Now", "now")]
                        : past;
                    var drawn = new HistoryChart(tests);
                    Assert.Equal(past.Sum(test => test.Letters.Count - 1), drawn.Ends.Count);
                    Assert.Equal(tests.Sum(test => test.Letters.Count - 1), drawn.Lines.Count(line => !line.IsKept));
                    Assert.Equal(runs, drawn.Lines.Any(line => line.IsOver));
                    // Each better page is a level up: the kept line never falls.
                    Assert.Equal(
                        past.Count(test => test.Kept > 0) + 1,
                        drawn.Lines.Where(line => line.IsKept).Select(line => Numbers(line.Path)[1]).Distinct().Count()
                    );
                    foreach (var line in drawn.Lines)
                        Assert.All(Numbers(line.Path), place => Assert.InRange(place, 0, HistoryChart.Width));
                    foreach (var (x, y, _) in drawn.Ends)
                    {
                        Assert.InRange(x, 0, HistoryChart.Width);
                        Assert.InRange(y, 0, drawn.Labels[0].Y);
                    }
                    Assert.All(drawn.Labels, label => Assert.InRange(label.X, 0, HistoryChart.Width - 50));
                }
            );

    [Fact]
    public void A_plan_never_takes_longer_for_a_larger_lift() =>
        Gen.Select(Gen.Double[0.001, 0.9], Gen.Double[1, 1e6], Gen.Int[2, 10])
            .AlwaysHolds(
                (rate, perDay, pages) =>
                {
                    var curve = new PlanCurve(rate, perDay, pages, 0.8);
                    for (var i = 1; i < curve.Points.Count; i++)
                    {
                        Assert.True(
                            curve.Points[i].Y >= curve.Points[i - 1].Y - 1e-9
                                && curve.Points[i].X > curve.Points[i - 1].X
                        );
                        Assert.InRange(curve.Points[i].Y, 0, PlanCurve.Height);
                    }
                    Assert.True(curve.Days(5) >= curve.Days(50));
                }
            );

    [Fact]
    public void Hours_of_leaning_are_one_line_of_the_log_and_nothing_else_is_left_out() =>
        Gen
            .Bool.Array[0, 30]
            .AlwaysHolds(leans =>
            {
                TestChange[] changes =
                [
                    .. leans.Select(
                        (lean, i) =>
                            new TestChange(
                                DateTimeOffset.UnixEpoch.AddHours(-i),
                                lean ? AdaptiveWeights.Who : "owner",
                                lean ? $"{AdaptiveWeights.Reason} {i}" : $"Change {i}"
                            )
                    ),
                ];
                var log = ChangeLog.Summarize(changes);
                Assert.Equal(
                    changes.Where(change => change.Who == "owner"),
                    log.Where(change => change.Who == "owner")
                );
                Assert.Equal(
                    leans.Where((lean, i) => lean && (i == 0 || !leans[i - 1])).Count(),
                    log.Count(change => change.Who == "automatic weights")
                );
                Assert.Equal(
                    leans.Count(lean => lean),
                    log.Where(change => change.Who == "automatic weights")
                        .Sum(change =>
                            1
                            + (
                                Before().Match(change.What) is { Success: true } before
                                    ? int.Parse(before.Groups[1].Value, CultureInfo.InvariantCulture)
                                    : 0
                            )
                        )
                );
                // The newest of them says what is in force.
                Assert.All(log, line =>
                    Assert.StartsWith(
                        StoredWording.What(changes.Single(change => change.At == line.At).What),
                        line.What,
                        StringComparison.Ordinal
                    )
                );
            });

    private static double[] Numbers(string path) =>
        [.. Coordinate().Matches(path).Select(match => double.Parse(match.Value, CultureInfo.InvariantCulture))];

    [GeneratedRegex(@"-?\d+(\.\d+)?")]
    private static partial Regex Coordinate();

    [GeneratedRegex(@"and (\d+) times? before")]
    private static partial Regex Before();
}
