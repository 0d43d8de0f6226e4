namespace Wexil.Web.Studio.Account;

/// <summary>A browser by a name that its owner knows it by: "Firefox on Windows".</summary>
public static class BrowserName
{
    // The first that is found, since later ones also name earlier ones.
    private static readonly (string Mark, string Name)[] Browsers =

        [
            ("Edg/", "Edge"),
            ("OPR/", "Opera"),
            ("Firefox/", "Firefox"),
            ("FxiOS/", "Firefox"),
            ("CriOS/", "Chrome"),
            ("Chrome/", "Chrome"),
            ("Safari/", "Safari"),
        ],
        Systems =

        [
            ("iPhone", "iPhone"),
            ("iPad", "iPad"),
            ("Android", "Android"),
            ("Windows", "Windows"),
            ("Mac OS", "Mac"),
            ("Linux", "Linux"),
        ];

    /// <param name="agent">As the browser calls itself.</param>
    public static string Of(string agent)
    {
        var (browser, system) = (Find(Browsers, agent), Find(Systems, agent));
        return (browser, system) switch
        {
            (null, null) => "Unknown browser",
            (null, _) => $"Unknown browser on {system}",
            (_, null) => browser,
            _ => $"{browser} on {system}",
        };
    }

    private static string? Find((string Mark, string Name)[] known, string agent) =>
        known.Where(one => agent.Contains(one.Mark, StringComparison.Ordinal)).Select(one => one.Name).FirstOrDefault();
}
