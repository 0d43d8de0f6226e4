namespace Wexil.Core.Statistics;

/// <summary>
/// What one page has to show: how many visitors it had, and how many of them converted (0 to <paramref
/// name="Visitors"/>).
/// </summary>
public readonly record struct Arm(long Visitors, long Conversions)
{
    /// <summary>Converted share of the visitors, 0 to 1; 0 when nobody came.</summary>
    public double Rate => Visitors == 0 ? 0 : (double)Conversions / Visitors;

    /// <summary>The visitors and conversions of both.</summary>
    public static Arm operator +(Arm left, Arm right) =>
        new(left.Visitors + right.Visitors, left.Conversions + right.Conversions);

    /// <summary>Those of the left who are not among the right, all of whom have to be among the left.</summary>
    public static Arm operator -(Arm left, Arm right) =>
        new(left.Visitors - right.Visitors, left.Conversions - right.Conversions);
}
