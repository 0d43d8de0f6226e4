namespace Wexil.Core.Pages;

/// <summary>Pages of our own to start from.</summary>
public static class Starter
{
    public static string OptIn => Read("opt-in.html");

    public static string ThankYou => Read("thank-you.html");

    private static string Read(string name) => EmbeddedText.Read($"Starters.{name}");
}
