using System.Text.RegularExpressions;

namespace Wexil.App.Installation;

/// <summary>A script of ours that owners paste into their pages, in one line.</summary>
internal static partial class PastedScript
{
    /// <summary>
    /// All that stand in one page have one id for a visitor whom nobody knows yet, whichever is answered first.
    /// </summary>
    private const string Id = "{{visitor-id}}";

    public static string Load(string name) =>
        Spaces().Replace(Read(name).Replace(Id, Read("visitor-id.js"), StringComparison.Ordinal).Trim(), " ");

    private static string Read(string name)
    {
        using var stream = typeof(PastedScript).Assembly.GetManifestResourceStream($"Wexil.App.Installation.{name}")!;
        using var reader = new StreamReader(stream);
        return reader.ReadToEnd();
    }

    [GeneratedRegex(@"\s*\n\s*")]
    private static partial Regex Spaces();
}
