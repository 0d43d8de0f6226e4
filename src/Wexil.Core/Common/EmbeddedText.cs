using System.Reflection;

namespace Wexil.Core.Common;

/// <summary>Texts that are shipped inside the program.</summary>
public static class EmbeddedText
{
    /// <param name="name">The end of the resource's name: "Starters.Pages.opt-in.html".</param>
    /// <exception cref="InvalidOperationException">There is none, or more than one.</exception>
    public static string Read(Assembly assembly, string name)
    {
        var resource = assembly
            .GetManifestResourceNames()
            .Single(full => full.EndsWith("." + name, StringComparison.Ordinal));
        using var reader = new StreamReader(assembly.GetManifestResourceStream(resource)!);
        return reader.ReadToEnd();
    }
}
