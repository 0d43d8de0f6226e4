using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;
using Wexil.App.Wording;

namespace Wexil.Web.Studio.Account;

/// <summary>
/// Slows wrong passwords down by the address they come from: the owner gets in from anywhere else, and from there too
/// after a minute at most.
/// </summary>
public sealed class SignInThrottle(TimeProvider time)
{
    /// <summary>So many wrong passwords in a row cost no waiting.</summary>
    public const int Free = 5;

    private const int MaxAddresses = 10_000,
        NetworkOfIpv6 = 8;

    /// <summary>The longest that anybody waits.</summary>
    public static readonly TimeSpan MaxWait = TimeSpan.FromMinutes(1);

    private static readonly TimeSpan Forgotten = TimeSpan.FromMinutes(15);

    private readonly ConcurrentDictionary<string, Failures> _failures = [];

    private sealed record Failures(int Count, DateTimeOffset Last);

    /// <summary>How long an address has to wait before it may try again; zero where it may.</summary>
    public TimeSpan Wait(IPAddress? address)
    {
        if (!_failures.TryGetValue(KeyOf(address), out var failures) || failures.Count < Free)
            return TimeSpan.Zero;
        var wait = TimeSpan.FromSeconds(Math.Min(MaxWait.TotalSeconds, Math.Pow(2, failures.Count - Free)));
        var left = failures.Last + wait - time.GetUtcNow();
        return left > TimeSpan.Zero ? left : TimeSpan.Zero;
    }

    /// <summary>What is said while an address has to wait.</summary>
    public static string Say(TimeSpan wait) =>
        "Too many wrong passwords from your network. Try again in "
        + $"{Format.Count((long)Math.Ceiling(wait.TotalSeconds), "second", "seconds")}.";

    /// <summary>Notes a wrong password.</summary>
    public void Fail(IPAddress? address)
    {
        var now = time.GetUtcNow();
        if (_failures.Count >= MaxAddresses)
            foreach (var (key, failures) in _failures)
                if (_failures.Count >= MaxAddresses / 2 || now - failures.Last > Forgotten)
                    _failures.TryRemove(key, out _);
        _failures.AddOrUpdate(
            KeyOf(address),
            _ => new(1, now),
            (_, before) => new(now - before.Last > Forgotten ? 1 : before.Count + 1, now)
        );
    }

    /// <summary>Forgets the wrong passwords of an address that knew the right one.</summary>
    public void Succeed(IPAddress? address) => _failures.TryRemove(KeyOf(address), out _);

    /// <summary>One who has a network of IPv6 has all its addresses.</summary>
    private static string KeyOf(IPAddress? address) =>
        address switch
        {
            null => "",
            { IsIPv4MappedToIPv6: true } => address.MapToIPv4().ToString(),
            { AddressFamily: AddressFamily.InterNetworkV6 } => Convert.ToHexString(
                address.GetAddressBytes().AsSpan(0, NetworkOfIpv6)
            ),
            _ => address.ToString(),
        };
}
