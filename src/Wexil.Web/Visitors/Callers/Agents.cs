using System.Collections.Concurrent;
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
    private const int MaxRemembered = 20_000,
        MaxAgentLength = 400;
    private static readonly Regex[] Robots = [.. Load()];
    private static ConcurrentDictionary<string, Agent> _known = new(StringComparer.Ordinal);

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
        if (_known.TryGetValue(agent, out var known))
            return known;
        var read = agent.Length > MaxAgentLength ? agent[..MaxAgentLength] : agent;
        known = new(AgentRules.DeviceOf(read), Array.Exists(Robots, robots => robots.IsMatch(read)));
        if (_known.Count > MaxRemembered)
            _known = new(StringComparer.Ordinal);
        _known[agent] = known;
        return known;
    }

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
