using System.Globalization;
using Wexil.Core.Simulation;

namespace Wexil.Web.Hosting;

/// <summary>
/// <c>wexil rehearse --calibrate</c>: how often each rule is wrong, and how often it finds what is there.
/// </summary>
public static class CalibrationCommand
{
    /// <param name="progress">Where a line tells how far it is; null for none.</param>
    public static void Run(int runs, TextWriter says, TextWriter? progress)
    {
        says.WriteLine(
            $"{runs:N0} simulated tests a line, {CalibrationCase.Days} days each, looked at every hour. A page that is better is {CalibrationCase.SmallestLift * 100:0}% better."
        );
        says.WriteLine("In how many of them each rule called a page better or worse than the control:");
        says.WriteLine();
        says.WriteLine(Row("", "Wexil", "textbook", "usual rule"));
        foreach (var what in CalibrationCase.All)
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
                Row(what.Name, Share(result.PeekSafe, runs), Share(result.Textbook, runs), Share(result.Usual, runs))
            );
        }
        says.WriteLine();
        says.WriteLine(
            "Pages alike: every call is wrong, and Wexil promises at most 5%. One better: calls are right, and Wexil aims at 75% or more."
        );
        says.WriteLine(
            "The textbook's test is right only for a single look at a size fixed beforehand. The usual rule: 95%, 100 conversions a page, 14 days."
        );
    }

    private static string Row(string name, string peekSafe, string textbook, string usual) =>
        string.Join(' ', name.PadRight(38), peekSafe.PadLeft(12), textbook.PadLeft(12), usual.PadLeft(12));

    private static string Share(int calls, int runs) =>
        (100.0 * calls / runs).ToString("0.0", CultureInfo.InvariantCulture) + "%";
}
