using System.Globalization;
using System.Text.RegularExpressions;
using CsCheck;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Assignments;
using Wexil.Core.SplitTests;
using Wexil.Web.Studio.Count;
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

    [Fact]
    public void Weights_over_time_show_what_each_page_had_however_often_they_changed() =>
        Gen.Select(Gen.Int[0, 100], Gen.Int[1, 5000], Gen.Int[0, 20])
            .Array[2, 1500]
            .AlwaysHolds(
                (changes) =>
                {
                    var began = DateTimeOffset.UnixEpoch;
                    var at = began;
                    var phases = new List<Phase>();
                    foreach (var (share, minutes, paused) in changes)
                    {
                        var end = at.AddMinutes(minutes);
                        phases.Add(new(new(phases.Count), Weights.Create(share, 100 - share), "", at, end));
                        // Now and then nobody is sent for a day.
                        at = paused == 0 ? end.AddDays(1) : end;
                    }
                    var last = phases[^1].EndedAt!.Value;
                    var drawn = WeightsChart.Create(phases, last, moment => $"{moment:u}");
                    if (phases.Select(phase => phase.Weights).Distinct().Count() == 1)
                    {
                        Assert.Null(drawn);
                        return;
                    }
                    var columns = drawn!.Columns;
                    var perMinute = (WeightsChart.Right - WeightsChart.Left) / (last - began).TotalMinutes;
                    Assert.Equal(
                        changes.Sum(change => change.Item1 * change.Item2 * perMinute),
                        columns.Sum(column =>
                            column.Width * column.Pieces.Where(piece => piece.Letter == "A").Sum(piece => piece.Percent)
                        ),
                        // What lasted a moment between two pauses is drawn wide enough to be seen.
                        1e-6 + columns.Count(column => column.Width <= 0.5) * 50
                    );
                    for (var i = 1; i < columns.Count; i++)
                        Assert.True(columns[i].X >= columns[i - 1].X);
                    var pauses = changes.Count(change => change.Item3 == 0);
                    Assert.InRange(columns.Count, 1, 2 * (int)(WeightsChart.Width / WeightsChart.OwnColumn) + pauses);
                }
            );

    [Fact]
    public void A_phase_has_a_column_of_its_own_from_eight_units_on()
    {
        // 794 units for 794 hours.
        Phase After(int from, int until, int share) =>
            new(
                new(from),
                Weights.Create(share, 100 - share),
                "",
                DateTimeOffset.UnixEpoch.AddHours(from),
                DateTimeOffset.UnixEpoch.AddHours(until)
            );
        string[] Drawn(params Phase[] phases) =>
            [
                .. WeightsChart
                    .Create(phases, DateTimeOffset.UnixEpoch.AddHours(794), _ => "")!
                    .Columns.Select(column => column.Words),
            ];
        Assert.Equal(
            ["A 50%, B 50%", "A 60%, B 40%", "A 70%, B 30%"],
            Drawn(After(0, 700, 50), After(700, 708, 60), After(708, 794, 70))
        );
        Assert.Equal(
            ["A 50%, B 50%", "A 66%, B 34%", "A 70%, B 30%"],
            Drawn(After(0, 700, 50), After(700, 707, 60), After(707, 712, 75), After(712, 794, 70))
        );
    }

    private static double[] Numbers(string path) =>
        [.. Coordinate().Matches(path).Select(match => double.Parse(match.Value, CultureInfo.InvariantCulture))];

    [GeneratedRegex(@"-?\d+(\.\d+)?")]
    private static partial Regex Coordinate();

    [GeneratedRegex(@"and (\d+) times? before")]
    private static partial Regex Before();
}
