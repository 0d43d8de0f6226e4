namespace Wexil.Store.Recording;

/// <summary>How the store is.</summary>
/// <param name="Trouble">What it says is wrong with it; null when it is well.</param>
/// <param name="Waiting">Events that are not in the store yet.</param>
/// <param name="Lost">Events for which there was no room anywhere since the program was started.</param>
public sealed record StoreHealth(string? Trouble, long Waiting, long Lost)
{
    /// <summary>Nothing is wrong, and nothing was lost.</summary>
    public bool IsWell => Trouble is null && Lost == 0;
}
