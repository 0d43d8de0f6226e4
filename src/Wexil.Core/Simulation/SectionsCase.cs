using Wexil.Core.Statistics;

namespace Wexil.Core.Simulation;

/// <summary>A kind of test of several sections at once that is simulated many times over.</summary>
/// <param name="Versions">How many each section has.</param>
/// <param name="Rate">The share of visitors who convert, averaged over the week and all versions.</param>
/// <param name="Lift">By how much the last version of the first section converts better; 0 where all are alike.</param>
/// <param name="Interaction">By how much the last versions of the first two sections do better together than apart,
/// and each of them without the other worse, so that by itself none is better.</param>
/// <param name="Visitors">Over the whole test.</param>
public sealed record SectionsCase(
    string Name,
    IReadOnlyList<int> Versions,
    double Rate,
    double Lift,
    double Interaction,
    double Visitors
)
{
    private const double Rate3 = 0.03;

    /// <summary>What the rule promises of it.</summary>
    public CalibrationPromise Promise => Lift == 0 ? CalibrationPromise.HardlyWrong : CalibrationPromise.FoundAsPlanned;

    /// <summary>As many visitors as such a test is planned for.</summary>
    private static double Planned(params int[] versions) =>
        SectionsPlan.For(versions, Rate3, CalibrationCase.SmallestLift).AllAtOnce;

    /// <summary>The cases that are printed, in order.</summary>
    public static IReadOnlyList<SectionsCase> All { get; } =
    [
        new("2 × 2 sections alike, 3%", [2, 2], Rate3, 0, 0, Planned(2, 2)),
        new("3 × 3 × 2 sections alike, 3%", [3, 3, 2], Rate3, 0, 0, Planned(3, 3, 2)),
        new("2 × 2 alike, a pair that interacts", [2, 2], Rate3, 0, 0.2, Planned(2, 2)),
        new("2 × 2, a version 20% better, 3%", [2, 2], Rate3, CalibrationCase.SmallestLift, 0, Planned(2, 2)),
        new("2 × 2 × 2, a version 20% better, 3%", [2, 2, 2], Rate3, CalibrationCase.SmallestLift, 0, Planned(2, 2, 2)),
    ];
}
