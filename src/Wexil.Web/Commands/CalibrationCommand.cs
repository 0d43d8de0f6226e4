using System.CommandLine;
using System.Globalization;
using System.Text;
using Wexil.Core.Simulation;
using Wexil.Core.Statistics;

namespace Wexil.Web.Commands;

/// <summary>
/// <c>wexil rehearse --calibrate</c>: how often each rule is wrong, and how often it finds what is there.
/// </summary>
public static class CalibrationCommand
{
    private const int MinRuns = 20,
        MaxRuns = 100_000,
        BrokenPromise = 1,
        BadUsage = 2;

    public static Command Create()
    {
        var calibrate = new Option<bool>("--calibrate")
        {
            Description = "How often each decision rule is wrong, and how often it finds a better page.",
        };
        var runs = new Option<int>("--runs")
        {
            Description = "Simulated tests a line.",
            DefaultValueFactory = _ => 1000,
        };
        var rehearse = new Command("rehearse", "Simulates tests to measure a decision rule.") { calibrate, runs };
        rehearse.SetAction(result =>
        {
            if (!result.GetValue(calibrate))
            {
                Console.Error.WriteLine("wexil: add --calibrate.");
                return BadUsage;
            }
            var progress = Console.IsOutputRedirected ? null : Console.Error;
            var broken = Run(Math.Clamp(result.GetValue(runs), MinRuns, MaxRuns), Console.Out, progress);
            foreach (var name in broken)
                Console.Error.WriteLine($"wexil: the promise is broken: {name}.");
            return broken.Count == 0 ? 0 : BrokenPromise;
        });
        return rehearse;
    }

    /// <param name="progress">Where a line tells how far it is; null for none.</param>
    /// <returns>The lines in which the rule of new tests does not do what is promised; empty for none.</returns>
    public static IReadOnlyList<string> Run(int runs, TextWriter says, TextWriter? progress)
    {
        var broken = new List<string>();
        says.WriteLine(
            $"{runs:N0} simulated tests a line, {CalibrationCase.Days} days each, looked at every hour. A "
                + $"page that is better is {CalibrationCase.SmallestLift * 100:0}% better."
        );
        says.WriteLine(
            "The chance of a call that the planner tells; in how many of them each rule called a page better or"
        );
        says.WriteLine(
            "worse than the control, and after which share of the textbook's sample, on average; and of the"
        );
        says.WriteLine("tests that went on at half of their plan, how many ended in the range foretold then:");
        says.WriteLine();
        says.WriteLine(Row("", "told", "planned", "no plan", "textbook", "usual rule", "in range"));
        foreach (var what in CalibrationCase.All)
        {
            var result = Run(what, runs, says, progress);
            if (what.Promise is { } promise && !promise.IsKept(result.Planned.Called, runs))
                broken.Add(what.Name);
            if (!CalibrationPromise.InRange.IsKept(result.Foretold.InRange, result.Foretold.Of))
                broken.Add($"{what.Name}, its end");
        }
        broken.AddRange(RunSections(runs, says, progress));
        says.WriteLine();
        says.WriteLine(
            "Pages alike: every call is wrong, and Wexil promises at most 5%. One better: calls are right, and by the "
                + "visitors planned Wexil promises the chance told, give or take 2 points. Of tests that are half "
                + "done, 80% end in the range foretold. Where the runs say otherwise beyond what chance does, the "
                + "command fails."
        );
        says.WriteLine(
            "Planned is the rule of tests that start now; no plan, of those that began before there were plans. The "
                + "textbook's test is right only for a single look at a size fixed beforehand. The usual rule: "
                + "95%, 100 conversions a page, 14 days."
        );
        return broken;
    }

    private static Calibrated Run(CalibrationCase what, int runs, TextWriter says, TextWriter? progress)
    {
        var last = -1;
        var result = Calibration.Run(
            what,
            runs,
            progress is null
                ? null
                : done =>
                {
                    var percent = done * 100 / runs;
                    if (Interlocked.Exchange(ref last, percent) != percent)
                        progress.Write($"\r{what.Name}: {percent}%  ");
                }
        );
        progress?.Write("\r" + new string(' ', 60) + "\r");
        says.WriteLine(
            Row(
                    what.Name,
                    Told(what.Promise),
                    Said(result, result.Planned),
                    Said(result, result.AlwaysValid),
                    Said(result, result.Textbook),
                    Said(result, result.Usual),
                    result.Foretold is { Of: > 0 } foretold ? Share(foretold.InRange, foretold.Of) : ""
                )
                .TrimEnd()
        );
        return result;
    }

    private static List<string> RunSections(int runs, TextWriter says, TextWriter? progress)
    {
        var broken = new List<string>();
        foreach (var what in SectionsCase.All)
        {
            progress?.Write($"\r{what.Name}  ");
            var called = SectionsCalibration.Run(what, runs);
            progress?.Write("\r" + new string(' ', 60) + "\r");
            says.WriteLine(Row(what.Name, Told(what.Promise), Share(called, runs)).TrimEnd());
            if (!what.Promise.IsKept(called, runs))
                broken.Add(what.Name);
        }
        return broken;
    }

    private static string Told(CalibrationPromise? promise) =>
        promise == CalibrationPromise.FoundAsPlanned ? Share((int)(SamplingPlan.Power * 100), 100)
        : promise == CalibrationPromise.HardlyWrong ? "at most 5.0%"
        : "";

    private static string Row(string name, params ReadOnlySpan<string> columns)
    {
        var row = new StringBuilder(name.PadRight(38));
        foreach (var column in columns)
            row.Append(' ').Append(column.PadLeft(13));
        return row.ToString();
    }

    private static string Said(Calibrated result, CallCount rule)
    {
        var sample = result.Case.VisitorsPerPage / result.Case.Factor * result.Case.Pages;
        var soon = rule.Visitors is { } visitors ? $" x{visitors / sample:0.00}" : "";
        return Share(rule.Called, result.Runs) + soon;
    }

    private static string Share(int calls, int runs) =>
        (100.0 * calls / runs).ToString("0.0", CultureInfo.InvariantCulture) + "%";
}
