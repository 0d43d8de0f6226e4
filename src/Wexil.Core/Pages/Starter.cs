namespace Wexil.Core.Pages;

/// <summary>Pages of our own to start from.</summary>
public static class Starter
{
    public static string OptIn => Read("opt-in.html");

    public static string ThankYou => Read("thank-you.html");

    private static string Read(string name)
    {
        var assembly = typeof(Starter).Assembly;
        var resource = assembly.GetManifestResourceNames().Single(full => full.EndsWith(".Starters." + name, StringComparison.Ordinal));
        using var reader = new StreamReader(assembly.GetManifestResourceStream(resource)!);
        return reader.ReadToEnd();
    }
}
