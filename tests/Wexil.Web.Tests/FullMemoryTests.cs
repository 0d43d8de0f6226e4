using System.Diagnostics;
using System.Net;
using System.Net.Http.Headers;
using System.Net.Sockets;
using System.Text;
using Microsoft.Data.Sqlite;
using Wexil.App.Serving;
using Wexil.Tests;
using Wexil.Web.Hosting;

namespace Wexil.Web.Tests;

/// <summary>The memories that strangers can fill have bounds, and the program goes on while they are full.</summary>
[Trait("For", "security")]
public sealed class FullMemoryTests
{
    private const string FormType = "application/x-www-form-urlencoded";

    [Theory]
    [InlineData(1_000_000_000, 200_000_000, 166_666_666, 100_000_000)]
    [InlineData(64_000_000_000, 12_800_000_000, 268_435_456, 209_715_200)]
    public void Large_memories_share_what_the_program_may_take(
        long memory,
        long connections,
        long pages,
        long events
    ) => Assert.Equal(new(connections, pages, events), MemoryShares.For(memory));

    [Fact]
    public async Task Whoever_was_lost_takes_a_place_at_the_next_visit()
    {
        // Room for two visits that wait.
        var wexil = new WexilFixture { Adjust = options => options with { Memory = 12_000 } };
        await wexil.InitializeAsync();
        try
        {
            var tested = await wexil.StartTestAsync("lost");
            var visitors = Enumerable.Range(0, 6).Select(_ => wexil.Visitor()).ToArray();
            using (var locks = new SqliteConnection($"Data Source={wexil.Host.Options.Data}/wexil.db;Pooling=false"))
            {
                locks.Open();
                using var held = locks.BeginTransaction(deferred: false);
                foreach (var visitor in visitors)
                    Assert.Equal(HttpStatusCode.OK, (await visitor.GetAsync("/go/lost")).StatusCode);
                Assert.InRange(wexil.Host.Journal.Health.Lost, 1, visitors.Length - 1);
            }
            await Eventually.HoldsAsync(() => wexil.Host.Journal.Health.Waiting == 0);
            wexil.Time.Advance(TimeSpan.FromMinutes(1));
            foreach (var visitor in visitors)
                (await visitor.GetAsync("/go/lost")).Dispose();
            Assert.Equal(visitors.Length, (await wexil.CountedAsync(tested.Test)).Visitors);
        }
        finally
        {
            await wexil.DisposeAsync();
        }
    }

    [Fact]
    public async Task Few_large_bodies_are_taken_at_a_time_and_small_ones_always()
    {
        var wexil = new WexilFixture();
        await wexil.InitializeAsync();
        var begun = new List<TcpClient>();
        var path = "";
        try
        {
            path = $"/p/{(await wexil.StartTestAsync("large")).A.Slug}/opt-in";
            // Each look takes a place for a moment, so a request that begins then may be refused.
            do begun.Add(await BeginAsync(new(wexil.Visitors, path), LargeBodies.Small + 1));
            while (await PostAsync(LargeBodies.Small + 1) == 303);
            Assert.InRange(begun.Count, LargeBodies.OfOne, 2 * LargeBodies.OfOne);
            Assert.Equal(303, await PostAsync(LargeBodies.Small));
            foreach (var client in begun)
                client.Dispose();
            await Eventually.HoldsAsync(async () => await PostAsync(LargeBodies.Small + 1) == 303);
        }
        finally
        {
            begun.ForEach(client => client.Dispose());
            await wexil.DisposeAsync();
        }

        async Task<int> PostAsync(int bytes)
        {
            using var stranger = wexil.Visitor();
            using var answer = await stranger.PostAsync(
                path,
                new StringContent(Form(bytes), MediaTypeHeaderValue.Parse(FormType))
            );
            return (int)answer.StatusCode;
        }
    }

    [Fact]
    [Trait("Pace", "slow")]
    public async Task Every_memory_full_at_once_leaves_the_program_room_under_the_limits_of_its_unit()
    {
        var bench = Repository.At("bench", "Wexil.Bench", "bin", "Release", "net10.0", "Wexil.Bench.dll");
        using var attack = Process.Start(
            new ProcessStartInfo("dotnet", [bench, "attacks", "--quick", "--name", "every memory"])
            {
                RedirectStandardOutput = true,
            }
        )!;
        var said = await attack.StandardOutput.ReadToEndAsync();
        await attack.WaitForExitAsync();
        Assert.True(attack.ExitCode == 0, said);
        Assert.Contains("every memory full at once", said);
    }

    /// <summary>Sends a request but for the last byte of its body.</summary>
    private static async Task<TcpClient> BeginAsync(Uri door, int bytes)
    {
        var client = new TcpClient();
        await client.ConnectAsync(IPAddress.Loopback, door.Port);
        var head =
            $"POST {door.AbsolutePath} HTTP/1.1\r\nHost: {door.Authority}\r\nContent-Type: {FormType}\r\n"
            + $"Content-Length: {bytes}\r\n\r\n";
        await client.GetStream().WriteAsync(Encoding.ASCII.GetBytes(head + Form(bytes)[..^1]));
        return client;
    }

    private static string Form(int bytes) => "email=mara@larkrow.example&message=".PadRight(bytes, 'a');
}
