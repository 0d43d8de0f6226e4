namespace Wexil.App.Serving;

/// <summary>
/// What the large memories that strangers can fill may take of the program's, in bytes: all of them full leave it more
/// than half.
/// </summary>
/// <param name="Connections">Requests that have begun and do not end.</param>
/// <param name="Pages">Hosted pages and files.</param>
/// <param name="Events">What the store does not take.</param>
public sealed record MemoryShares(long Connections, long Pages, long Events)
{
    private const long MostPages = 256 << 20,
        MostEvents = 200 << 20;

    /// <param name="memory">What the program may take.</param>
    public static MemoryShares For(long memory) =>
        new(memory / 5, Math.Min(memory / 6, MostPages), Math.Min(memory / 10, MostEvents));
}
