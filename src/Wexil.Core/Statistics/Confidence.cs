using MathNet.Numerics;

namespace Wexil.Core.Statistics;

/// <summary>Quantiles and tail areas of the normal distribution that the methods share.</summary>
public static class Confidence
{
    /// <summary>The two-sided 95% normal quantile.</summary>
    public const double Z95 = 1.959963984540054;

    /// <summary>Two-sided tail area beyond |z|: the p-value of a normal statistic.</summary>
    public static double TwoSidedP(double z) => SpecialFunctions.Erfc(Math.Abs(z) / Math.Sqrt(2));

    /// <summary>The chance that a standard normal is at most z.</summary>
    public static double Normal(double z) => SpecialFunctions.Erfc(-z / Math.Sqrt(2)) / 2;

    /// <summary>Upper tail area of the chi-square distribution.</summary>
    public static double ChiSquareP(double chiSquare, int degreesOfFreedom) =>
        SpecialFunctions.GammaUpperRegularized(degreesOfFreedom / 2.0, chiSquare / 2.0);

    /// <summary>The normal quantile of a probability strictly between 0 and 1.</summary>
    public static double Quantile(double probability) =>
        MathNet.Numerics.Distributions.Normal.InvCDF(0, 1, probability);
}
