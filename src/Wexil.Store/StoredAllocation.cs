using Wexil.Core.SplitTests;

namespace Wexil.Store;

/// <summary>The words that stand for an allocation in the data file; they never change.</summary>
internal static class StoredAllocation
{
    private const string Random = "Chance",
        Rotation = "InTurn",
        Adaptive = "Lean";

    public static string Format(Allocation allocation) =>
        allocation switch
        {
            Allocation.Random => Random,
            Allocation.Rotation => Rotation,
            Allocation.Adaptive => Adaptive,
            _ => throw new ArgumentOutOfRangeException(nameof(allocation)),
        };

    /// <exception cref="StoreException">The word is none of ours.</exception>
    public static Allocation Parse(string stored) =>
        stored switch
        {
            Random => Allocation.Random,
            Rotation => Allocation.Rotation,
            Adaptive => Allocation.Adaptive,
            _ => throw new StoreException($"The data file names an allocation that is not known: {stored}"),
        };
}
