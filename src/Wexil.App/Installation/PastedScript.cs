using System.Text.RegularExpressions;

namespace Wexil.App.Installation;

/// <summary>A script of ours that owners paste into their pages, in one line.</summary>
internal static partial class PastedScript
{
    public static string Load(string name)
    {
        using var stream = typeof(PastedScript).Assembly.GetManifestResourceStream($"Wexil.App.Installation.{name}")!;
        using var reader = new StreamReader(stream);
        return Spaces().Replace(reader.ReadToEnd().Trim(), " ");
    }

    [GeneratedRegex(@"\s*\n\s*")]
    private static partial Regex Spaces();
}
