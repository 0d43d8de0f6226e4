using System.Security.Cryptography;
using System.Text;
using Wexil.Core.Visitors;

namespace Wexil.Web.Visitors.Callers;

/// <summary>
/// Gives networks and browsers their numbers. They are drawn by a key, so that nobody outside can choose theirs, and
/// sixty-three are so few that no number tells whose it is.
/// </summary>
public sealed class CrowdNumbers
{
    private const int MaxBytes = 4 << 20,
        NetworkBytes = 3,
        NumberBits = 6,
        RecentNetworks = 1 << 14;

    // The last networks asked for, each in the one place that its name gives it.
    private readonly int[] _recent = new int[RecentNetworks];
    private readonly byte[] _networks;
    private readonly BoundedCache<int> _agents = new(Agents.MaxLength, MaxBytes);
    private readonly Func<string, int> _numberOfAgent;

    /// <param name="key">A secret of this Wexil's own.</param>
    public CrowdNumbers(byte[] key)
    {
        _networks = HMACSHA256.HashData(key, "networks"u8);
        var agents = HMACSHA256.HashData(key, "agents"u8);
        _numberOfAgent = agent => Number(agents, Encoding.UTF8.GetBytes(agent));
    }

    /// <summary>Of the caller.</summary>
    public Crowd Of(HttpContext http)
    {
        var network = NetworkName.Wide(http.Connection.RemoteIpAddress, stackalloc byte[NetworkName.LongestWide]);
        var agent = http.Request.Headers.UserAgent.ToString();
        return new(
            network.Length == 0 ? 0 : NumberOf(network),
            agent.Length == 0 ? 0 : _agents.Of(agent, _numberOfAgent)
        );
    }

    private int NumberOf(ReadOnlySpan<byte> network)
    {
        // One of IPv4 and its number fit into one word, which is read and written whole.
        if (network.Length != NetworkBytes)
            return Number(_networks, network);
        var name = network[0] << 16 | network[1] << 8 | network[2];
        ref var place = ref _recent[name % RecentNetworks];
        var known = place;
        if (known != 0 && known >> NumberBits == name)
            return known & ((1 << NumberBits) - 1);
        var number = Number(_networks, network);
        place = name << NumberBits | number;
        return number;
    }

    private static int Number(byte[] key, ReadOnlySpan<byte> name)
    {
        Span<byte> hash = stackalloc byte[HMACSHA256.HashSizeInBytes];
        HMACSHA256.HashData(key, name, hash);
        return 1 + (int)(BitConverter.ToUInt32(hash) % Crowd.Numbers);
    }
}
