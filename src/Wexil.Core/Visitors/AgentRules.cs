namespace Wexil.Core.Visitors;

/// <summary>Tells the kind of device from what a browser says of itself.</summary>
public static class AgentRules
{
    /// <param name="agent">The User-Agent header.</param>
    public static Device DeviceOf(string agent)
    {
        bool Says(string word) => agent.Contains(word, StringComparison.OrdinalIgnoreCase);
        if (Says("iPad") || Says("Tablet") || Says("Kindle") || Says("Silk/") || Says("PlayBook"))
            return Device.Tablet;
        // Android says "Mobile" on phones only.
        if (Says("Android"))
            return Says("Mobile") ? Device.Phone : Device.Tablet;
        return
            Says("iPhone")
            || Says("iPod")
            || Says("Mobile")
            || Says("Windows Phone")
            || Says("Opera Mini")
            || Says("BlackBerry")
            ? Device.Phone
            : Device.Desktop;
    }

    /// <summary>The first language of an Accept-Language header as two letters; empty where there is none.</summary>
    public static string LanguageOf(string? accepted)
    {
        if (accepted is null || accepted.Length < 2)
            return "";
        var first = accepted.AsSpan().TrimStart();
        return
            first.Length >= 2
            && char.IsAsciiLetter(first[0])
            && char.IsAsciiLetter(first[1])
            && (first.Length == 2 || first[2] is '-' or ',' or ';' or '_' or ' ')
            ? first[..2].ToString().ToLowerInvariant()
            : "";
    }
}
