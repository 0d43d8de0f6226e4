namespace Wexil.Web.Demo;

/// <summary>The demo's own data folder.</summary>
public static class DemoData
{
    /// <summary>Removes an earlier demo's files; whatever else lies in the folder stays.</summary>
    public static void Clear(string folder)
    {
        if (!Directory.Exists(folder)) return;
        foreach (var file in Directory.EnumerateFiles(folder, "wexil.db*").Append(Path.Combine(folder, "spill.bin"))) File.Delete(file);
    }
}
