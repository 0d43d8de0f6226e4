using System.Diagnostics;
using System.Globalization;

namespace Wexil.Tests;

/// <summary>
/// Folders for the files of tests. All of a run lie in one folder, which goes when its process ends; what a process
/// left that was killed is swept away by the next.
/// </summary>
internal static class TemporaryFolder
{
    private const string Prefix = "wexil-tests-";
    private static readonly string Root = MakeRoot();
    private static int _made;

    /// <summary>Makes a new, empty folder.</summary>
    public static string Create(string name) =>
        Directory.CreateDirectory(Path.Combine(Root, $"{name}-{Interlocked.Increment(ref _made)}")).FullName;

    /// <summary>Deletes a folder where nothing uses it any more; what is still in use goes with the process.</summary>
    public static void Delete(string path)
    {
        try
        {
            Directory.Delete(path, recursive: true);
        }
        catch (IOException) { }
        catch (UnauthorizedAccessException) { }
    }

    private static string MakeRoot()
    {
        foreach (var left in Directory.EnumerateDirectories(Path.GetTempPath(), $"{Prefix}*"))
            if (!IsRunning(Path.GetFileName(left)[Prefix.Length..]))
                Delete(left);
        var root = Path.Combine(Path.GetTempPath(), Prefix + Environment.ProcessId);
        AppDomain.CurrentDomain.ProcessExit += (_, _) => Delete(root);
        return root;
    }

    private static bool IsRunning(string process)
    {
        try
        {
            return int.TryParse(process, CultureInfo.InvariantCulture, out var id)
                && !Process.GetProcessById(id).HasExited;
        }
        catch (ArgumentException)
        {
            return false;
        }
    }
}
