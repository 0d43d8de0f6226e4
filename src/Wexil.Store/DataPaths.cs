namespace Wexil.Store;

/// <summary>Where things are in a data folder.</summary>
/// <param name="path">The folder, as a whole path.</param>
public class DataPaths(string path)
{
    /// <summary>The folder, as a whole path.</summary>
    public string Path { get; } = path;

    /// <summary>The SQLite file.</summary>
    public string DataFile => In("wexil.db");

    /// <summary>Where events go that the store does not take in time.</summary>
    public string SpillFile => In("spill.bin");

    /// <summary>Room that is given up when the disk is full.</summary>
    public string ReserveFile => In("reserve.bin");

    /// <summary>Uploads that wait to be told where they belong.</summary>
    public string Uploads => In("uploads");

    /// <summary>Mail that is simulated.</summary>
    public string Outbox => In("outbox");

    /// <summary>The keys that sign cookies and tickets.</summary>
    public string Keys => In("keys");

    /// <summary>Holds the address at which the owner reaches the program that uses the folder.</summary>
    public string StudioAddressFile => In("studio-address");

    /// <summary>Copies that were taken before the data file was brought up to a newer program.</summary>
    public string BeforeUpgrades => In("before-upgrades");

    /// <summary>A file or folder by its name.</summary>
    protected string In(string name) => System.IO.Path.Combine(Path, name);
}
