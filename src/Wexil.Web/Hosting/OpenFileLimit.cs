using System.Globalization;

namespace Wexil.Web.Hosting;

/// <summary>
/// How many files the system lets this program open. The runtime raises the soft limit to the hard one.
/// </summary>
internal static class OpenFileLimit
{
    private const string Limits = "/proc/self/limits",
        Line = "Max open files";
    private const int SoftColumn = 0;

    /// <summary>Without an end where the system says none, or says nothing.</summary>
    public static long Read()
    {
        try
        {
            return File.ReadLines(Limits).Select(Of).OfType<long>().FirstOrDefault(long.MaxValue);
        }
        catch (IOException)
        {
            return long.MaxValue;
        }
    }

    private static long? Of(string line) =>
        line.StartsWith(Line, StringComparison.Ordinal)
        && long.TryParse(
            line[Line.Length..].Split(' ', StringSplitOptions.RemoveEmptyEntries)[SoftColumn],
            NumberStyles.None,
            CultureInfo.InvariantCulture,
            out var limit
        )
            ? limit
            : null;
}
