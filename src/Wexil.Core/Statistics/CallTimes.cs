using System.Collections.Concurrent;

namespace Wexil.Core.Statistics;

/// <summary>
/// When a planned test calls a page, and what of such a call is to be expected. A page is called at a moment when it
/// stands well, so the lift that it shows then is too high. To be expected is the middle of all lifts that may be
/// there, each as likely as it makes a call at that very moment among all calls that it would bring while the plan
/// lasts.
/// </summary>
/// <remarks>
/// The conditional likelihood, and its median over lifts of 0 and more. Sources: J. Troendle and K. Yu, "Conditional
/// estimation following a group sequential clinical trial", Communications in Statistics 28 (1999), for estimates given
/// that it stopped; J. Whitehead, "On the bias of maximum likelihood estimation following a sequential test",
/// Biometrika 73 (1986), for how much too high the plain one is. The times are computed on a grid: by how much of those
/// who are still below the line each step takes across it (P. Armitage, C. McPherson and B. Rowe, JRSS A 132 (1969)),
/// with the Brownian bridge between steps, so that looking all the time is allowed for.
/// </remarks>
public sealed class CallTimes
{
    private const int Steps = 250,
        Cells = 200,
        Drifts = 600;
    private const double DriftWidth = 0.05,
        LeastPlanned = 1,
        MostPlanned = 8;

    // Earlier than that nothing is called by chance, and what is seen can be believed.
    private const double First = 0.05;
    private static readonly ConcurrentDictionary<(double Alpha, double Drift), CallTimes> Known = new();

    /// <summary>By step: its middle, the line there, and the chance of a call in it when pages are alike.</summary>
    private readonly (double At, double Line, double Chance)[] _steps;

    /// <summary>By drift: the chance of a call while the plan lasts.</summary>
    private readonly double[] _called;

    private CallTimes(double alpha, double planned)
    {
        _steps = Compute(time => LineAt(time, alpha, planned));
        _called = [.. Enumerable.Range(0, Drifts).Select(i => Chance(i * DriftWidth))];
    }

    /// <summary>Those of calls at a level; computed once for drifts that are alike to a tenth.</summary>
    /// <param name="alpha">Strictly between 0 and 1.</param>
    /// <param name="planned">The drift that the plan is made for, by which the open part's line goes.</param>
    public static CallTimes At(double alpha, double planned) =>
        Known.GetOrAdd(
            (Math.Round(alpha, 6), Math.Clamp(Math.Round(planned, 1), LeastPlanned, MostPlanned)),
            known => new CallTimes(known.Alpha, known.Drift)
        );

    /// <summary>The chance of a call for the better while the plan lasts.</summary>
    /// <param name="drift">How far the sum moves until the plan's end, in standard deviations at its end.</param>
    public double Chance(double drift) => _steps.Sum(step => step.Chance * Density(step, drift));

    /// <summary>
    /// The drift to be expected of a page that was called for the better while the plan lasted. What has come since the
    /// call tells without favor, and counts in full.
    /// </summary>
    /// <param name="now">How much of the plan is done, above 0.</param>
    /// <param name="sum">The sum by now, in standard deviations of the plan's end.</param>
    public double Expected(double now, double sum)
    {
        if (now < First)
            return sum / now;
        // From the most likely one, so that no figure is too large for a computer.
        var most = Math.Clamp(sum / now, 0, (Drifts - 1) * DriftWidth);
        double Exponent(double drift) => drift * sum - drift * drift * now / 2;
        return Middle([
            .. Enumerable
                .Range(0, Drifts)
                .Select(i => Math.Exp(Exponent(i * DriftWidth) - Exponent(most)) / _called[i]),
        ]);
    }

    private static double Density((double At, double Line, double Chance) step, double drift) =>
        Math.Exp(drift * step.Line - drift * drift * step.At / 2);

    /// <summary>The drift on each side of which half of the weights lie.</summary>
    private static double Middle(double[] weights)
    {
        var (half, sum) = (weights.Sum() / 2, 0.0);
        for (var i = 0; i < weights.Length; i++)
        {
            if (sum + weights[i] >= half)
                return Math.Max(0, (i + (half - sum) / weights[i] - 0.5) * DriftWidth);
            sum += weights[i];
        }
        return (weights.Length - 1) * DriftWidth;
    }

    /// <summary>The sum at which a page is called, in standard deviations of the plan's end.</summary>
    private static double LineAt(double progress, double alpha, double planned)
    {
        // Of the always-valid part, with the difference's variance in units of τ² as 1/(drift²·progress).
        var ratio = 1 + planned * planned * progress;
        var evidence = 2 * Math.Log(1 / (alpha * PlannedTest.OpenShare)) + Math.Log(ratio);
        var open = Math.Sqrt(ratio * evidence) / planned;
        return Math.Min(PlannedTest.Line(alpha), open);
    }

    private static (double, double, double)[] Compute(Func<double, double> line)
    {
        const double step = 1.0 / Steps;
        var (steps, width) = (new (double, double, double)[Steps], 2 * line(1) / Cells);
        // No step goes farther than eight of its standard deviations.
        var reach = (int)Math.Ceiling(8 * Math.Sqrt(step) / width);
        // What is left below the line on both sides, at the middles of cells that span it.
        double[] places = [.. Enumerable.Range(0, Cells).Select(cell => -line(1) + (cell + 0.5) * width)];
        var left = new double[Cells];
        left[Cells / 2 - 1] = left[Cells / 2] = 0.5;
        for (var i = 0; i < Steps; i++)
        {
            var (at, next) = ((i + 0.5) * step, new double[Cells]);
            var barrier = line(at);
            for (var from = 0; from < Cells; from++)
                if (left[from] > 1e-15)
                    for (var to = Math.Max(0, from - reach); to < Math.Min(Cells, from + reach + 1); to++)
                        next[to] += left[from] * width * Moves(places[from], places[to], barrier, step);
            steps[i] = (at, barrier, Math.Max(0, left.Sum() - next.Sum()) / 2);
            left = next;
        }
        return steps;
    }

    /// <summary>The density of a step from one place to another that touches the line on neither side.</summary>
    private static double Moves(double from, double to, double line, double step) =>
        Math.Exp(-(to - from) * (to - from) / (2 * step))
        / Math.Sqrt(2 * Math.PI * step)
        * Below(line, from, to, step)
        * Below(line, -from, -to, step);

    // That a path between two places does not touch the line on its way.
    private static double Below(double line, double from, double to, double step) =>
        from >= line || to >= line ? 0 : 1 - Math.Exp(-2 * (line - from) * (line - to) / step);
}
