using System.Net;
using Microsoft.AspNetCore.Connections;
using Wexil.Web.Hosting;

namespace Wexil.Web.Tests;

/// <summary>How many connections one network may hold open.</summary>
[Trait("For", "security")]
[Trait("Pace", "slow")]
public sealed class ConnectionCapTests
{
    private readonly TaskCompletionSource _ended = new();
    private readonly ConnectionCap _cap = new([IPAddress.Parse("10.0.0.2")]);
    private int _served;

    [Theory]
    [InlineData("203.0.113.9", ConnectionCap.MostOfOne)]
    [InlineData("::ffff:203.0.113.9", ConnectionCap.MostOfOne)]
    [InlineData("2001:db8:1:2::9", ConnectionCap.MostOfOne)]
    [InlineData("10.0.0.2", 600)]
    [InlineData("127.0.0.1", 600)]
    public async Task Beyond_the_most_of_one_network_connections_are_ended(string address, int served)
    {
        var door = _cap.Before(ServeAsync);
        var open = Enumerable.Range(0, 600).Select(_ => door(From(address))).ToArray();
        Assert.Equal(served, _served);
        Assert.Equal(600 - served, open.Count(connection => connection.IsCompleted));
        // Others come in beside it.
        var other = door(From("198.51.100.1"));
        Assert.Equal(served + 1, _served);
        _ended.SetResult();
        await Task.WhenAll([.. open, other]);
        Assert.Equal(0, _cap.Networks);
    }

    [Fact]
    public async Task A_whole_network_of_IPv6_is_one_and_whoever_closes_a_connection_may_open_another()
    {
        var door = _cap.Before(ServeAsync);
        var open = Enumerable
            .Range(1, ConnectionCap.MostOfOne)
            .Select(i => door(From($"2001:db8:1:2::{i:x}")))
            .ToList();
        await door(From("2001:db8:1:2:ffff::1"));
        Assert.Equal(ConnectionCap.MostOfOne, _served);
        _ended.SetResult();
        await Task.WhenAll(open);
        await door(From("2001:db8:1:2::1"));
        Assert.Equal(ConnectionCap.MostOfOne + 1, _served);
    }

    private Task ServeAsync(ConnectionContext connection)
    {
        _served++;
        return _ended.Task;
    }

    private static DefaultConnectionContext From(string address) =>
        new() { RemoteEndPoint = new IPEndPoint(IPAddress.Parse(address), 4711) };
}
