namespace Wexil.Core.Pages;

/// <summary>Texts that are shipped inside the program.</summary>
internal static class EmbeddedText
{
    /// <param name="name">The end of the resource's name: "Starters.opt-in.html".</param>
    public static string Read(string name)
    {
        var assembly = typeof(EmbeddedText).Assembly;
        var resource = assembly.GetManifestResourceNames().Single(full => full.EndsWith("." + name, StringComparison.Ordinal));
        using var reader = new StreamReader(assembly.GetManifestResourceStream(resource)!);
        return reader.ReadToEnd();
    }
}
