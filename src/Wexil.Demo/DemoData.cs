using Wexil.Store;

namespace Wexil.Demo;

/// <summary>The demo's own data folder, told from anybody's real one by a mark in it.</summary>
public static class DemoData
{
    private const string MarkName = "made-by-demo",
        UnfinishedName = "unfinished";

    /// <summary>Was the demo ended while it made its data? What it left has to be cleared.</summary>
    public static bool IsUnfinished(string folder) => File.Exists(Path.Combine(folder, UnfinishedName));

    /// <summary>The data is complete.</summary>
    public static void Finish(string folder) => File.Delete(Path.Combine(folder, UnfinishedName));

    /// <summary>Removes an earlier demo's files; whatever else lies in the folder stays.</summary>
    /// <exception cref="StoreException">The data was not made by the demo, or is in use.</exception>
    public static void Clear(string folder)
    {
        if (!File.Exists(Path.Combine(folder, "wexil.db")))
            return;
        if (!File.Exists(Path.Combine(folder, MarkName)))
            throw new StoreException($"The data in {folder} was not made by the demo, so --fresh does not touch it.");
        using var used = DataFolder.Open(folder);
        // The reserve says that there was data, so it goes first, and the data file, by which it is seen that there is
        // something to clear, goes last: what is cleared by half can be cleared again.
        File.Delete(used.ReserveFile);
        File.Delete(used.SpillFile);
        foreach (var file in Directory.GetFiles(folder, "wexil.db*").OrderDescending(StringComparer.Ordinal))
            File.Delete(file);
    }

    /// <summary>Marks a folder that has no data yet as the demo's, and as unfinished.</summary>
    public static void Mark(string folder)
    {
        if (File.Exists(Path.Combine(folder, "wexil.db")))
            return;
        try
        {
            // As any data folder: of nobody else's business.
            if (!Directory.Exists(folder))
                Directory.CreateDirectory(
                    folder,
                    UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute
                );
            File.WriteAllText(
                Path.Combine(folder, MarkName),
                "This folder holds made-up data. `wexil demo --fresh` may empty it.\n"
            );
            File.WriteAllText(Path.Combine(folder, UnfinishedName), "The next `wexil demo` makes this data anew.\n");
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            throw new StoreException($"The data folder {folder} cannot be written to: {error.Message}", error);
        }
    }
}
