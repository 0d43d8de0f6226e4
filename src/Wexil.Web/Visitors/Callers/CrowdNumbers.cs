using System.Collections.Concurrent;
using System.Security.Cryptography;
using System.Text;
using Wexil.Core.Visitors;

namespace Wexil.Web.Visitors.Callers;

/// <summary>
/// Gives networks and browsers their numbers. They are drawn by a key, so that nobody outside can choose theirs, and
/// sixty-three are so few that no number tells whose it is.
/// </summary>
/// <param name="key">A secret of this Wexil's own.</param>
public sealed class CrowdNumbers(byte[] key)
{
    private const int MaxRemembered = 20_000,
        MaxAgentLength = 400;
    private readonly byte[] _networks = HMACSHA256.HashData(key, "networks"u8),
        _agents = HMACSHA256.HashData(key, "agents"u8);
    private ConcurrentDictionary<string, int> _known = new(StringComparer.Ordinal);

    /// <summary>Of the caller.</summary>
    public Crowd Of(HttpContext http)
    {
        var network = NetworkName.Wide(http.Connection.RemoteIpAddress);
        var agent = http.Request.Headers.UserAgent.ToString();
        return new(network.Length == 0 ? 0 : Number(_networks, network), agent.Length == 0 ? 0 : NumberOf(agent));
    }

    private int NumberOf(string agent)
    {
        if (_known.TryGetValue(agent, out var known))
            return known;
        if (_known.Count > MaxRemembered)
            _known = new(StringComparer.Ordinal);
        var read = agent.Length > MaxAgentLength ? agent[..MaxAgentLength] : agent;
        return _known[agent] = Number(_agents, Encoding.UTF8.GetBytes(read));
    }

    private static int Number(byte[] key, ReadOnlySpan<byte> name)
    {
        Span<byte> hash = stackalloc byte[HMACSHA256.HashSizeInBytes];
        HMACSHA256.HashData(key, name, hash);
        return 1 + (int)(BitConverter.ToUInt32(hash) % Crowd.Numbers);
    }
}
