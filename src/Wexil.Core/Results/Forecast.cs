namespace Wexil.Core.Results;

/// <summary>What would settle a test that is undecided.</summary>
/// <param name="Least">How many visitors more at least, over all pages, rounded to two digits.</param>
/// <param name="Most">How many at most; the same where that is not uncertain.</param>
/// <param name="PerDay">New visitors a day lately; 0 when not known.</param>
public sealed record Forecast(long Least, long Most, double PerDay)
{
    /// <summary>It holds if the difference stays as it is now: nothing says when the test ends otherwise.</summary>
    public bool IfLeadHolds { get; init; }

    /// <summary>How long that takes at the present traffic; null where that is not known.</summary>
    public (double Least, double Most)? Days => PerDay > 0 ? (Least / PerDay, Most / PerDay) : null;

    /// <summary>Rounds outward, so that the range never promises more than it knows.</summary>
    /// <param name="least">Visitors, 0 or more.</param>
    public static Forecast Create(double least, double most, double perDay)
    {
        const double mostSaid = 1e12;
        var (low, high) = (Math.Clamp(least, 0, mostSaid), Math.Clamp(Math.Max(least, most), 1, mostSaid));
        var up = (long)(Math.Ceiling(high / Unit(high)) * Unit(high));
        var down = (long)(Math.Floor(low / Unit(low)) * Unit(low));
        return new(least == most ? up : Math.Max(SmallestUnit, down), up, perDay);
    }

    private const int SmallestUnit = 10;

    private static double Unit(double visitors) =>
        Math.Pow(10, Math.Max(1, Math.Floor(Math.Log10(Math.Max(SmallestUnit, visitors))) - 1));
}
