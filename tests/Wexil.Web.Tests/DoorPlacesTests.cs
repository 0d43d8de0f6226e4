using System.Net;
using System.Net.Sockets;
using Microsoft.AspNetCore.Connections;
using Wexil.App.Health;
using Wexil.Tests;
using Wexil.Web.Hosting;

namespace Wexil.Web.Tests;

/// <summary>Idle connections keep nobody out, however few files the program may open.</summary>
[Trait("For", "security")]
public sealed class DoorPlacesTests
{
    [Theory]
    [InlineData(65_536, 8_000_000_000, 20_000, 2_000)]
    [InlineData(1_024, 8_000_000_000, 408, 136)]
    [InlineData(600, 8_000_000_000, 90, 30)]
    [InlineData(100, 8_000_000_000, 16, 16)]
    [InlineData(65_536, 135_000_000, 2_472, 823)]
    [InlineData(long.MaxValue, 8_000_000_000, 20_000, 2_000)]
    public void Doors_have_as_many_places_as_files_and_memory_allow(
        long files,
        long memory,
        int visitors,
        int studio
    ) => Assert.Equal(new DoorPlaces(files, visitors, studio), DoorPlaces.For(files, memory));

    [Theory]
    [InlineData(DoorPlaces.Few, false)]
    [InlineData(DoorPlaces.Few - 1, true)]
    public void Few_places_are_told_of(int visitors, bool areFew) =>
        Assert.Equal(areFew, new DoorPlaces(1, visitors, 1).AreFew);

    [Fact]
    public async Task The_longest_idle_leaves_and_whoever_is_answered_stays()
    {
        using var seats = new DoorSeats(3);
        var taken = new List<SeatedConnection>();
        for (var i = 0; i < 3; i++)
        {
            await seats.KeepPlaceAsync(default);
            taken.Add(seats.Take(new DefaultConnectionContext()));
        }
        var (busy, returned, idle) = (taken[0], taken[1], taken[2]);
        busy.Begin();
        // Idle again since a moment ago; the third since it came.
        returned.Begin();
        returned.End();
        var another = seats.KeepPlaceAsync(default);
        await Eventually.HoldsAsync(() => idle.ConnectionClosed.IsCancellationRequested);
        Assert.False(another.IsCompleted);
        await idle.DisposeAsync();
        await another;
        Assert.False(busy.ConnectionClosed.IsCancellationRequested);
        Assert.Equal(0, seats.Places);
        seats.Free();
        // A place is given back once.
        await idle.DisposeAsync();
        Assert.Equal(1, seats.Places);
    }

    [Fact]
    public async Task Who_was_refused_leaves_before_those_who_have_been_idle_longer()
    {
        using var seats = new DoorSeats(2);
        await seats.KeepPlaceAsync(default);
        var idle = seats.Take(new DefaultConnectionContext());
        await seats.KeepPlaceAsync(default);
        var refused = seats.Take(new DefaultConnectionContext());
        refused.Leaves = true;
        var another = seats.KeepPlaceAsync(default);
        await Eventually.HoldsAsync(() => refused.ConnectionClosed.IsCancellationRequested);
        Assert.False(idle.ConnectionClosed.IsCancellationRequested);
        await refused.DisposeAsync();
        await another;
    }

    [Fact]
    public async Task Idle_connections_at_either_door_keep_out_neither_the_owner_nor_visitors()
    {
        var wexil = new WexilFixture { Adjust = options => options with { OpenFiles = 300 } };
        await wexil.InitializeAsync();
        try
        {
            await wexil.StartTestAsync("crowded");
            List<Socket> idle = [];
            foreach (var door in new[] { wexil.Studio, wexil.Visitors })
                for (var i = 0; i < 200; i++)
                {
                    var socket = new Socket(SocketType.Stream, ProtocolType.Tcp);
                    await socket.ConnectAsync(IPAddress.Loopback, door.Port);
                    idle.Add(socket);
                }
            using var owner = await wexil.OwnerAsync();
            Assert.Equal(HttpStatusCode.OK, (await owner.GetAsync("/")).StatusCode);
            using var visitor = wexil.Visitor();
            Assert.Equal(HttpStatusCode.OK, (await visitor.GetAsync("/go/crowded")).StatusCode);
            Assert.Contains(
                "files",
                Assert.Single(wexil.Get<HealthProblems>().Now()).Sentence,
                StringComparison.Ordinal
            );
            idle.ForEach(socket => socket.Dispose());
        }
        finally
        {
            await wexil.DisposeAsync();
        }
    }
}
