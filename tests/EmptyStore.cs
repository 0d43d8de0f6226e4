using Wexil.Store;

namespace Wexil.Tests;

/// <summary>
/// A data folder as the first start leaves it. Its file goes through every migration once a process and is copied for
/// each test, since that takes longer than most tests.
/// </summary>
internal static class EmptyStore
{
    private static readonly Lazy<string> Made = new(Make);

    /// <summary>A new data folder with nothing in it.</summary>
    public static string Create(string name)
    {
        var folder = Path.Combine(TemporaryFolder.Create(name), "data");
        DataFolder.Open(folder).Dispose();
        File.Copy(Made.Value, new DataPaths(folder).DataFile);
        return folder;
    }

    private static string Make()
    {
        var path = TemporaryFolder.Create("empty");
        using var folder = DataFolder.Open(path);
        Database.Open(folder).Dispose();
        return folder.DataFile;
    }
}
