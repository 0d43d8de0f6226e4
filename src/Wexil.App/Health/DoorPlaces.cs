namespace Wexil.App.Health;

/// <summary>
/// How many connections each door holds open at most. Without a file for one more the runtime itself ends, so the doors
/// together leave room for the program's own.
/// </summary>
/// <param name="Files">How many files and connections the system lets the program open.</param>
/// <param name="Visitors">At the visitors' door.</param>
/// <param name="Studio">At the owner's.</param>
public sealed record DoorPlaces(long Files, int Visitors, int Studio)
{
    /// <summary>Fewer than this are taken by one busy hour.</summary>
    public const int Few = 2_000;

    private const long MostVisitors = 20_000,
        MostStudio = 2_000;

    /// <summary>The program's own libraries, 340 of which stay open, its data, and the servers that it asks.</summary>
    private const long OwnFiles = 480,
        Least = 16;

    /// <summary>
    /// What a connection takes whose request has begun and does not end, in bytes: its head, and a small body.
    /// </summary>
    private const long BytesOfOne = 40 << 10;

    /// <summary>Most visitors have few: the owner hears of it.</summary>
    public bool AreFew => Visitors < Few;

    /// <param name="files">What the system allows.</param>
    /// <param name="memory">What connections may take, in bytes.</param>
    public static DoorPlaces For(long files, long memory)
    {
        var places = Math.Max(0, Math.Min(files - OwnFiles, memory / BytesOfOne));
        var studio = Math.Clamp(places / 4, Least, MostStudio);
        return new(files, (int)Math.Clamp(places - studio, Least, MostVisitors), (int)studio);
    }
}
