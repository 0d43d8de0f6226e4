using System.Text.RegularExpressions;
using Wexil.Core.Visitors;

namespace Wexil.Web.Visitors.Callers;

/// <summary>What a program says of itself: which kind of device, and whether a person sits before it.</summary>
public readonly record struct Agent(Device Device, bool IsRobot);

/// <summary>
/// Tells browsers from robots, link previews and health checks by their User-Agent. What was told once is remembered.
/// </summary>
public static class Agents
{
    /// <summary>How much of a header is read, in characters: no browser's is longer.</summary>
    public const int MaxLength = 400;

    private const int MaxBytes = 4 << 20;
    private static readonly Regex[] Robots = [.. Load()];
    private static readonly BoundedCache<Agent> Known = new(MaxLength, MaxBytes);

    /// <summary>Makes the patterns ready, so that no visitor waits for it.</summary>
    public static void Warm() =>
        Classify(
            "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36"
        );

    public static Agent Classify(string? agent)
    {
        // Every browser says something.
        if (string.IsNullOrEmpty(agent))
            return new(Device.Desktop, IsRobot: true);
        return Known.Of(agent, Read);
    }

    private static Agent Read(string agent) =>
        new(AgentRules.DeviceOf(agent), Array.Exists(Robots, robots => robots.IsMatch(agent)));

    /// <summary>
    /// The patterns, nearly all in the engine that needs as many steps as there are letters. Those that look around are
    /// few and simple, and no agent that is read is long.
    /// </summary>
    private static IEnumerable<Regex> Load()
    {
        using var stream = typeof(Agents).Assembly.GetManifestResourceStream(
            "Wexil.Web.Visitors.Callers.Data.robots.patterns.txt"
        )!;
        using var reader = new StreamReader(stream);
        var patterns = reader
            .ReadToEnd()
            .Split('\n', StringSplitOptions.RemoveEmptyEntries)
            .ToLookup(pattern =>
                pattern.Contains("(?<", StringComparison.Ordinal)
                || pattern.Contains("(?!", StringComparison.Ordinal)
                || pattern.Contains("(?=", StringComparison.Ordinal)
            );
        yield return new(
            string.Join('|', patterns[false]),
            RegexOptions.IgnoreCase | RegexOptions.CultureInvariant | RegexOptions.NonBacktracking
        );
        yield return new(
            string.Join('|', patterns[true]),
            RegexOptions.IgnoreCase | RegexOptions.CultureInvariant | RegexOptions.Compiled
        );
    }
}
