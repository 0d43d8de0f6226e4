using MathNet.Numerics.Distributions;
using MathNet.Numerics.LinearAlgebra;

namespace Wexil.Core.Statistics;

/// <summary>One effect of a linear model: a version against its section's first.</summary>
/// <param name="Difference">Of the rates, the other sections being alike.</param>
/// <param name="StandardError">Of the difference.</param>
/// <param name="P">Wald's, two-sided, from 0 to 1.</param>
public sealed record RateEffect(int Section, int Version, double Difference, double StandardError, double P);

/// <summary>
/// Several sections at once, by what the visitors of each version and of each pair of versions did: least squares on
/// the conversions with main effects. It needs no count of any combination, so it works however many there are.
/// </summary>
/// <remarks>J. Wooldridge, "Econometric Analysis of Cross Section and Panel Data", 2nd ed. 2010, section 15.2; a
/// visitor's variance is that of the rate over all.</remarks>
public sealed class LinearProbabilityModel
{
    private readonly double _firsts;

    private LinearProbabilityModel(double firsts, IReadOnlyList<RateEffect> effects) =>
        (_firsts, Effects) = (firsts, effects);

    /// <summary>What each version adds, beside the first of its section.</summary>
    public IReadOnlyList<RateEffect> Effects { get; }

    /// <summary>The rate that the parts suggest for a combination, 0 to 1.</summary>
    /// <param name="versions">The version of each section, counted from 0.</param>
    public double RateOf(IReadOnlyList<int> versions) =>
        Math.Clamp(
            _firsts
                + Effects.Where(effect => versions[effect.Section] == effect.Version).Sum(effect => effect.Difference),
            0,
            1
        );

    /// <summary>Fits the model; null where the counts do not settle it.</summary>
    /// <param name="versions">What the visitors of each version of each section did; two versions or more each.</param>
    /// <param name="both">How many visitors saw a version of one section and one of another: section and version,
    /// twice.</param>
    public static LinearProbabilityModel? Fit(
        IReadOnlyList<IReadOnlyList<Arm>> versions,
        Func<(int Section, int Version), (int Section, int Version), long> both
    )
    {
        var total = versions[0].Aggregate(new Arm(), (sum, arm) => sum + arm);
        if (total.Conversions == 0 || total.Conversions >= total.Visitors)
            return null;
        (int Section, int Version)[] terms =
        [
            .. versions.SelectMany(
                (arms, section) => Enumerable.Range(1, arms.Count - 1).Select(version => (section, version))
            ),
        ];
        double Count(int row, int column)
        {
            if (row == 0 && column == 0)
                return total.Visitors;
            var (one, other) = (terms[Math.Max(row, column) - 1], terms[Math.Max(1, Math.Min(row, column)) - 1]);
            if (row == 0 || column == 0 || one == other)
                return versions[one.Section][one.Version].Visitors;
            return one.Section == other.Section ? 0 : both(one, other);
        }
        var counts = Matrix<double>.Build.Dense(terms.Length + 1, terms.Length + 1, Count);
        var met = Vector<double>.Build.Dense(terms.Length + 1, i =>
            i == 0 ? total.Conversions : versions[terms[i - 1].Section][terms[i - 1].Version].Conversions
        );
        var inverse = counts.Inverse();
        if (inverse.Enumerate().Any(value => !double.IsFinite(value)))
            return null;
        var beta = inverse * met;
        var variance = total.Rate * (1 - total.Rate);
        RateEffect EffectOf((int Section, int Version) term, int i)
        {
            var error = Math.Sqrt(variance * inverse[i + 1, i + 1]);
            var p = 2 * Normal.CDF(0, 1, -Math.Abs(beta[i + 1] / error));
            return new(term.Section, term.Version, beta[i + 1], error, p);
        }
        return new(beta[0], [.. terms.Select(EffectOf)]);
    }
}
