namespace Wexil.Tests;

/// <summary>The folder that everything is in.</summary>
internal static class Repository
{
    public static string Root { get; } = Find();

    public static string At(params string[] path) => Path.Combine([Root, .. path]);

    private static string Find()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder.FullName, "Wexil.slnx")))
            folder = folder.Parent!;
        return folder.FullName;
    }
}
