namespace Wexil.Core.Simulation;

/// <summary>What the rule of deciding promises of a kind of test.</summary>
/// <param name="Share">Of the tests in which a page is called, 0 to 1.</param>
/// <param name="IsMost">No more are called, since every call is wrong; otherwise no fewer.</param>
public sealed record CalibrationPromise(double Share, bool IsMost)
{
    // One line in seven hundred is as far off by chance where the share is just the promised one.
    private const double Deviations = 3;

    /// <summary>Pages that are alike are hardly ever called.</summary>
    public static readonly CalibrationPromise HardlyWrong = new(0.05, IsMost: true);

    /// <summary>A page as much better as planned is found by the visitors planned.</summary>
    public static readonly CalibrationPromise FoundAsPlanned = new(0.7, IsMost: false);

    /// <summary>A page as much better as planned is found by 1.6 times the textbook's visitors.</summary>
    public static readonly CalibrationPromise FoundInTheEnd = new(0.75, IsMost: false);

    /// <summary>Do simulated tests agree with the promise, as far as so many can tell?</summary>
    /// <param name="called">In how many of them a page was called, 0 to <paramref name="runs"/>.</param>
    public bool IsKept(int called, int runs)
    {
        var room = Deviations * Math.Sqrt(Share * (1 - Share) * runs);
        return IsMost ? called <= runs * Share + room : called >= runs * Share - room;
    }
}
