using MathNet.Numerics.Distributions;
using MathNet.Numerics.LinearAlgebra;

namespace Wexil.Core.Statistics;

/// <summary>One effect of a fitted model: a version against its section's first.</summary>
/// <param name="LogOdds">Log odds ratio.</param>
/// <param name="StandardError">Of the log odds ratio.</param>
/// <param name="P">Wald's, two-sided, from 0 to 1.</param>
public sealed record Effect(int Section, int Version, double LogOdds, double StandardError, double P);

/// <summary>
/// Several sections at once: logistic regression with main effects over the combinations of their versions, fitted by
/// iteratively reweighted least squares.
/// </summary>
/// <remarks>P. McCullagh and J. Nelder, "Generalized Linear Models", 2nd ed. 1989, chapter 4.</remarks>
public sealed class LogisticRegression
{
    private const int MaxRounds = 60;
    private const double MaxLogOdds = 30;

    /// <summary>The fit is done when the deviance moves by less than this, as in R's glm.</summary>
    private const double Tolerance = 1e-8;

    private readonly double _firsts;

    private LogisticRegression(
        double firsts,
        IReadOnlyList<Effect> effects,
        IReadOnlyList<double> expected,
        IReadOnlyList<double> leverage
    ) => (_firsts, Effects, Expected, Leverage) = (firsts, effects, expected, leverage);

    /// <summary>What each version adds, beside the first of its section.</summary>
    public IReadOnlyList<Effect> Effects { get; }

    /// <summary>The rate that the parts suggest for each cell, in the order given.</summary>
    public IReadOnlyList<double> Expected { get; }

    /// <summary>How much each cell pulls the fit to itself, from 0 to 1.</summary>
    public IReadOnlyList<double> Leverage { get; }

    /// <summary>The rate that the parts suggest for a combination, seen or not.</summary>
    /// <param name="versions">The version of each section, counted from 0.</param>
    public double RateOf(IReadOnlyList<int> versions)
    {
        var odds = _firsts + Effects.Where(effect => versions[effect.Section] == effect.Version).Sum(e => e.LogOdds);
        return 1 / (1 + Math.Exp(-odds));
    }

    /// <summary>
    /// Fits the model; null where the cells do not settle it, as when a version has no conversion at all.
    /// </summary>
    /// <param name="levels">How many versions each section has, 2 or more.</param>
    /// <param name="cells">The version of each section, counted from 0, and what its visitors did.</param>
    public static LogisticRegression? Fit(
        IReadOnlyList<int> levels,
        IReadOnlyList<(IReadOnlyList<int> Versions, Arm Arm)> cells
    )
    {
        var total = cells.Aggregate(new Arm(), (sum, cell) => sum + cell.Arm);
        if (total.Conversions == 0 || total.Conversions >= total.Visitors)
            return null;
        Term[] terms =
        [
            .. levels.SelectMany(
                (count, section) => Enumerable.Range(1, count - 1).Select(version => new Term(section, version))
            ),
        ];
        var design = Matrix<double>.Build.Dense(cells.Count, terms.Length + 1, (row, column) =>
            column == 0 || cells[row].Versions[terms[column - 1].Section] == terms[column - 1].Version ? 1 : 0
        );
        Arm[] arms = [.. cells.Select(cell => cell.Arm)];
        return Converge(design, arms) is { } fit ? Describe(terms, design, fit) : null;
    }

    private readonly record struct Term(int Section, int Version);

    /// <param name="Beta">The logarithms of the odds: of the first versions, then of each term.</param>
    private sealed record Converged(
        Vector<double> Beta,
        Vector<double> Rates,
        Vector<double> Weights,
        Matrix<double> Information
    );

    // Iteratively reweighted least squares; null where it does not converge.
    private static Converged? Converge(Matrix<double> design, Arm[] arms)
    {
        var rates = Vector<double>.Build.Dense(arms.Length, i => (arms[i].Conversions + 0.5) / (arms[i].Visitors + 1));
        var odds = rates.Map(rate => Math.Log(rate / (1 - rate)));
        var deviance = double.PositiveInfinity;
        for (var round = 0; round < MaxRounds; round++)
        {
            var slopes = rates.Map(rate => rate * (1 - rate));
            var weights = slopes.MapIndexed((i, slope) => arms[i].Visitors * slope);
            var working = odds.MapIndexed((i, value) => value + (arms[i].Rate - rates[i]) / slopes[i]);
            var information = design.TransposeThisAndMultiply(
                Matrix<double>.Build.DenseOfDiagonalVector(weights) * design
            );
            var beta = information.Solve(design.TransposeThisAndMultiply(weights.PointwiseMultiply(working)));
            odds = design * beta;
            if (odds.Any(value => !double.IsFinite(value) || Math.Abs(value) > MaxLogOdds))
                return null;
            rates = odds.Map(value => 1 / (1 + Math.Exp(-value)));
            var before = deviance;
            deviance = arms.Select((arm, i) => Deviance(arm, rates[i])).Sum();
            if (Math.Abs(deviance - before) / (Math.Abs(deviance) + 0.1) < Tolerance)
                return new(beta, rates, weights, information);
        }
        return null;
    }

    private static LogisticRegression Describe(Term[] terms, Matrix<double> design, Converged fit)
    {
        var covariance = fit.Information.Inverse();
        var errors = covariance.Diagonal().PointwiseSqrt();
        Effect EffectOf(Term term, int i)
        {
            var (size, error) = (fit.Beta[i + 1], errors[i + 1]);
            return new(term.Section, term.Version, size, error, 2 * Normal.CDF(0, 1, -Math.Abs(size / error)));
        }
        double LeverageOf(Vector<double> row, int i) => fit.Weights[i] * row.DotProduct(covariance * row);
        return new(
            fit.Beta[0],
            [.. terms.Select(EffectOf)],
            [.. fit.Rates],
            [.. design.EnumerateRows().Select(LeverageOf)]
        );
    }

    private static double Deviance(Arm arm, double rate)
    {
        static double Part(double seen, double expected) => seen == 0 ? 0 : seen * Math.Log(seen / expected);
        return 2
            * (
                Part(arm.Conversions, arm.Visitors * rate)
                + Part(arm.Visitors - arm.Conversions, arm.Visitors * (1 - rate))
            );
    }
}
