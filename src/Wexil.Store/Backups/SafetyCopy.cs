using System.Globalization;

namespace Wexil.Store.Backups;

/// <summary>A copy of the data file that is taken before a newer program changes its tables.</summary>
public static class SafetyCopy
{
    private const int Kept = 2;

    /// <summary>Takes it, and keeps the last two.</summary>
    /// <param name="version">How many migrations the data file has.</param>
    /// <exception cref="StoreException">There is no room for it; nothing was changed.</exception>
    public static void Take(DataPaths data, int version)
    {
        Directory.CreateDirectory(data.BeforeUpgrades);
        var copy = Path.Combine(data.BeforeUpgrades, Name(version));
        DataCopy.Make(data.DataFile, copy);
        foreach (var old in Directory.GetFiles(data.BeforeUpgrades, Name("*")).Order().SkipLast(Kept))
            File.Delete(old);
    }

    private static string Name(int version) => Name(version.ToString("0000", CultureInfo.InvariantCulture));

    private static string Name(string version) => $"version-{version}.db";
}
