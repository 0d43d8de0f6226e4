using System.Net;
using System.Net.Sockets;
using Microsoft.AspNetCore.Http;
using Wexil.Store;
using Wexil.Tests;
using Wexil.Web.Commands;
using Wexil.Web.Hosting;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Tests;

/// <summary>Each door has its own names, and nothing comes in by another.</summary>
[Trait("For", "security")]
public sealed class DoorTests
{
    [Theory]
    [InlineData("http://localhost:5080", "http://127.0.0.1:5081", null, true)]
    [InlineData("https://studio.a.test", "https://go.b.test", null, true)]
    [InlineData("https://studio.a.test", "https://go.a.test", "links.b.test", true)]
    [InlineData("http://localhost:5080", "http://localhost:5081", null, false)]
    [InlineData("https://a.test", "https://A.test", null, false)]
    [InlineData("https://a.test", "https://go.a.test", null, false)]
    [InlineData("https://studio.a.test", "https://a.test", null, false)]
    [InlineData("https://studio.a.test", "https://go.b.test", "studio.a.test", false)]
    [InlineData("https://a.test", "https://go.b.test", "links.a.test", false)]
    public void Studio_and_visitors_need_host_names_side_by_side(
        string studio,
        string visitors,
        string? another,
        bool isFine
    )
    {
        var options = new WexilOptions
        {
            Data = "",
            PublicStudio = new(studio),
            PublicVisitors = new(visitors),
            VisitorsNames = another is null ? [] : [another],
        };
        var problem = Record.Exception(() => HostRun.CheckHosts(options));
        Assert.Equal(isFine, problem is null);
        if (problem is not null)
            Assert.Contains("host name", Assert.IsType<StoreException>(problem).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_socket_needs_a_name_that_browsers_see()
    {
        var options = new WexilOptions { Data = "", Visitors = new("unix:/run/wexil/visitors.sock") };
        Assert.Contains(
            "--public-visitors",
            Assert.Throws<StoreException>(() => HostRun.CheckHosts(options)).Message,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Only_its_own_names_lead_to_a_door_and_whoever_watches_it_needs_none()
    {
        var (studio, visitors) = (FreePorts.Next(), FreePorts.Next());
        await using var host = await WexilHost.StartAsync(
            new WexilOptions
            {
                Data = TemporaryFolder.Create("doors"),
                Studio = new($"http://localhost:{studio}"),
                Visitors = new($"http://127.0.0.1:{visitors}"),
                PublicStudio = new("https://studio.a.test"),
                PublicVisitors = new("https://go.b.test"),
                VisitorsNames = ["links.c.test"],
                FollowsClock = false,
            }
        );
        foreach (
            var (port, name, path, status) in new[]
            {
                (visitors, "go.b.test", "/nothing", HttpStatusCode.NotFound),
                (visitors, "GO.B.TEST:443", "/nothing", HttpStatusCode.NotFound),
                (visitors, "links.c.test", "/nothing", HttpStatusCode.NotFound),
                (visitors, "studio.a.test", "/nothing", HttpStatusCode.MisdirectedRequest),
                (visitors, $"127.0.0.1:{visitors}", "/nothing", HttpStatusCode.MisdirectedRequest),
                (visitors, "x.go.b.test", "/nothing", HttpStatusCode.MisdirectedRequest),
                (visitors, "[::1]:443", "/nothing", HttpStatusCode.MisdirectedRequest),
                (studio, "studio.a.test", "/sign-in", HttpStatusCode.OK),
                (studio, "go.b.test", "/sign-in", HttpStatusCode.MisdirectedRequest),
                (studio, "links.c.test", "/sign-in", HttpStatusCode.MisdirectedRequest),
                (studio, "any.test", "/health", HttpStatusCode.OK),
                (visitors, "any.test", "/health", HttpStatusCode.OK),
                (visitors, "any.test", "/ready", HttpStatusCode.OK),
            }
        )
        {
            using var client = new HttpClient { BaseAddress = new($"http://127.0.0.1:{port}") };
            client.DefaultRequestHeaders.Host = name;
            using var answer = await client.GetAsync(path);
            Assert.True(status == answer.StatusCode, $"{name}{path}: {answer.StatusCode}");
            if (status == HttpStatusCode.MisdirectedRequest)
                Assert.Contains(
                    port == studio ? "https://studio.a.test does" : "https://go.b.test does",
                    await answer.Content.ReadAsStringAsync(),
                    StringComparison.Ordinal
                );
            Assert.Equal(
                status is HttpStatusCode.NotFound || path == "/sign-in" && status == HttpStatusCode.OK,
                answer.Headers.Contains("Strict-Transport-Security")
            );
        }
    }

    [Fact]
    public async Task A_socket_left_by_a_killed_program_is_taken_over_and_one_in_use_is_not()
    {
        var data = TemporaryFolder.Create("sockets");
        var path = Path.Combine(data, "visitors.sock");
        // A socket that is closed without being removed is what a killed program leaves.
        using (var left = new Socket(AddressFamily.Unix, SocketType.Stream, ProtocolType.Unspecified))
        {
            left.Bind(new UnixDomainSocketEndPoint(path));
            left.Listen();
            File.Move(path, path + ".left");
        }
        File.Move(path + ".left", path);
        await using var host = await WexilHost.StartAsync(Options(data, path));
        using var proxy = new HttpClient(
            new SocketsHttpHandler
            {
                ConnectCallback = async (_, cancel) =>
                {
                    var socket = new Socket(AddressFamily.Unix, SocketType.Stream, ProtocolType.Unspecified);
                    await socket.ConnectAsync(new UnixDomainSocketEndPoint(path), cancel);
                    return new NetworkStream(socket, ownsSocket: true);
                },
            }
        );
        Assert.Equal("alive\n", await proxy.GetStringAsync("http://go.b.test/health"));
        var problem = await Assert.ThrowsAsync<StoreException>(() =>
            WexilHost.StartAsync(Options(TemporaryFolder.Create("sockets"), path))
        );
        Assert.Contains("Another program listens", problem.Message, StringComparison.Ordinal);
    }

    [Theory]
    [InlineData("10.0.0.2", "8.8.8.8", "US")]
    [InlineData("10.0.0.2", "127.0.0.1, 8.8.8.8", "US")]
    [InlineData("10.0.0.2", "8.8.8.8, 127.0.0.1", "")]
    [InlineData("10.0.0.2", "", "")]
    [InlineData("10.0.0.2", "8.8.8.8:1234", "US")]
    [InlineData("10.0.0.2", "1.1.1.1, [2001:4860:4860::8888]:443", "US")]
    [InlineData("10.0.0.2", "[2001:4860:4860::8888]", "US")]
    [InlineData("10.0.0.2", "2001:4860:4860::8888", "US")]
    [InlineData("10.0.0.2", "unknown", "")]
    [InlineData("10.0.0.2", "8.8.8.8, unknown", "")]
    [InlineData("10.0.0.2", ":", "")]
    [InlineData("10.0.0.2", "[", "")]
    [InlineData("10.0.0.2", "]:1", "")]
    [InlineData("::ffff:10.0.0.2", "8.8.8.8", "US")]
    [InlineData("10.0.0.3", "8.8.8.8", "")]
    [InlineData(null, "8.8.8.8", "US")]
    public async Task Only_a_trusted_proxy_says_for_whom_it_asks(string? from, string told, string country)
    {
        await Countries.ReadyAsync();
        var http = new DefaultHttpContext();
        http.Connection.RemoteIpAddress = from is null ? null : IPAddress.Parse(from);
        http.Request.Headers["X-Forwarded-For"] = told;
        var proxies = new TrustedProxies([IPAddress.Parse("10.0.0.2")], "X-Country");
        proxies.Correct(http);
        Assert.Equal(country, new CountryResolver("X-Country").CountryOf(http));
        // Its word for the country is worth as much as its word for the address.
        http.Connection.RemoteIpAddress = from is null ? null : IPAddress.Parse(from);
        http.Request.Headers["X-Country"] = "at";
        proxies.Correct(http);
        Assert.Equal(from == "10.0.0.3" ? "" : "AT", new CountryResolver("X-Country").CountryOf(http));
    }

    private static WexilOptions Options(string data, string socket) =>
        new()
        {
            Data = data,
            Studio = new($"http://localhost:{FreePorts.Next()}"),
            Visitors = new($"unix:{socket}"),
            PublicVisitors = new("https://go.b.test"),
            FollowsClock = false,
        };
}
