using System.Text.RegularExpressions;

namespace Wexil.Core.Pages;

/// <summary>The name of a clone until somebody gives it one: "Harvest Kit, copy 2".</summary>
public static partial class CloneName
{
    /// <summary>The first name that no page has yet.</summary>
    /// <param name="parent">The name of the page that is cloned.</param>
    public static string Next(string parent, IReadOnlyCollection<string> taken)
    {
        var stem = Usual().Replace(parent, "");
        for (var number = 2; ; number++)
            if (!taken.Contains($"{stem}, copy {number}"))
                return $"{stem}, copy {number}";
    }

    /// <summary>It says which clone it is and nothing else.</summary>
    public static bool IsUsual(string name) => Usual().IsMatch(name);

    [GeneratedRegex(@", (copy|version) \d+$")]
    private static partial Regex Usual();
}
