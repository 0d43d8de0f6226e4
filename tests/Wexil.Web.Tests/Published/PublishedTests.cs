using System.Diagnostics;
using System.Net;
using System.Text.RegularExpressions;
using Microsoft.Data.Sqlite;
using Wexil.Tests;

namespace Wexil.Web.Tests.Published;

/// <summary>The program that owners install, behind the proxies that they put before it.</summary>
[Trait("Pace", "slow")]
public sealed partial class PublishedTests(PublishedFixture published) : IClassFixture<PublishedFixture>
{
    private const string Password = "seven quiet balconies";

    [Fact]
    public async Task It_needs_no_SDK_and_brings_what_goes_onto_a_server_and_neither_demo_nor_tests()
    {
        var (code, said, _) = await published.RunAsync("--help");
        Assert.Equal(0, code);
        Assert.Contains("serve", said, StringComparison.Ordinal);
        foreach (var file in new[] { "deploy/wexil.service", "deploy/nginx.conf", "deploy/Caddyfile", "install.md" })
            Assert.True(File.Exists(Path.Combine(published.Folder, file)), file);
        Assert.Empty(Directory.GetFiles(published.Folder, "*Demo*"));
        Assert.Empty(Directory.GetFiles(published.Folder, "*xunit*"));
    }

    public enum Front
    {
        Nginx,
        NginxBySocket,
        Caddy,
    }

    [Theory(Timeout = 120_000)]
    [InlineData(Front.Nginx)]
    [InlineData(Front.NginxBySocket)]
    [InlineData(Front.Caddy)]
    public async Task Behind_a_proxy_an_owner_gets_from_the_printed_link_to_a_counted_visitor(Front front)
    {
        var data = TemporaryFolder.Create("published-data");
        var (studio, visitors) = (FreePorts.Next(), FreePorts.Next());
        var bySocket = front == Front.NginxBySocket;
        using var program = published.Start([
            "serve",
            "--data",
            data,
            "--studio",
            bySocket ? $"unix:{data}/studio.sock" : $"http://127.0.0.1:{studio}",
            "--visitors",
            bySocket ? $"unix:{data}/visitors.sock" : $"http://127.0.0.1:{visitors}",
            "--public-studio",
            $"https://{ReverseProxy.StudioName}",
            "--public-visitors",
            $"https://{ReverseProxy.VisitorsName}",
            "--trusted-proxy",
            "127.0.0.1",
        ]);
        try
        {
            var link = await LinkAsync(program);
            Assert.StartsWith($"https://{ReverseProxy.StudioName}/first-run?key=", link, StringComparison.Ordinal);
            await using var proxy = front switch
            {
                Front.Nginx => await ReverseProxy.StartNginxAsync($"127.0.0.1:{studio}", $"127.0.0.1:{visitors}"),
                Front.NginxBySocket => await ReverseProxy.StartNginxAsync(
                    $"unix:{data}/studio.sock",
                    $"unix:{data}/visitors.sock"
                ),
                _ => await ReverseProxy.StartCaddyAsync($"127.0.0.1:{studio}", $"127.0.0.1:{visitors}"),
            };
            await EveryoneComesByHttpsAsync(proxy);
            using var owner = proxy.Browser(ReverseProxy.StudioName);
            await SetPasswordAsync(owner, new Uri(link).PathAndQuery);
            await MakeTestAsync(owner);
            await VisitAsync(proxy);
            Assert.Contains("1 visitor", await CountAsync(owner), StringComparison.Ordinal);
            Assert.Equal(["--"], Countries(data));
            if (!bySocket)
                await AddressIsTheProxysToSayAsync(visitors, data);
        }
        finally
        {
            Process.Start("kill", ["-TERM", $"{program.Id}"]).WaitForExit();
            await program.WaitForExitAsync();
        }
        Assert.Equal(0, program.ExitCode);
    }

    private static async Task EveryoneComesByHttpsAsync(ReverseProxy proxy)
    {
        foreach (var name in new[] { ReverseProxy.StudioName, ReverseProxy.VisitorsName })
        {
            using var plain = proxy.Browser(name, "http");
            using var answer = await plain.GetAsync("/go/kit?s=ads");
            Assert.InRange((int)answer.StatusCode, 301, 308);
            Assert.StartsWith($"https://{name}", answer.Headers.Location!.ToString(), StringComparison.Ordinal);
            Assert.EndsWith("/go/kit?s=ads", answer.Headers.Location.ToString(), StringComparison.Ordinal);
        }
    }

    private static async Task SetPasswordAsync(HttpClient owner, string link)
    {
        var answer = await WexilFixture.PostAsync(
            owner,
            link,
            "",
            ("Password", Password),
            ("Zone", "Europe/Vienna"),
            ("CurrencyCode", "EUR")
        );
        Assert.Equal("/signed-in?hop=true", answer.Headers.Location?.ToString());
        var cookie = answer.Headers.GetValues("Set-Cookie").Single(set => set.StartsWith("__Host-wexil="));
        foreach (var part in new[] { "secure", "httponly", "samesite=strict", "path=/" })
            Assert.Contains(part, cookie, StringComparison.OrdinalIgnoreCase);
        Assert.Contains("max-age=", string.Join("", answer.Headers.GetValues("Strict-Transport-Security")));
        using var form = await owner.GetAsync("/settings");
        Assert.Equal(HttpStatusCode.OK, form.StatusCode);
    }

    private static async Task MakeTestAsync(HttpClient owner)
    {
        await WexilFixture.PostAsync(owner, "/first-test", "Funnel", ("Name", "Kit"), ("From", "Starter"));
        await WexilFixture.PostAsync(owner, "/first-test", "Second", ("Words", "Salad in 21 days"));
        await WexilFixture.PostAsync(owner, "/first-test", "Start");
    }

    private static async Task VisitAsync(ReverseProxy proxy)
    {
        using var visitor = proxy.Browser(ReverseProxy.VisitorsName);
        visitor.DefaultRequestHeaders.Add("X-Forwarded-For", "8.8.8.8");
        using var answer = await visitor.GetAsync("/go/kit");
        Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        Assert.All(answer.Headers.GetValues("Set-Cookie"), set =>
            Assert.Contains("secure", set, StringComparison.OrdinalIgnoreCase)
        );
        Assert.True(answer.Headers.Contains("Strict-Transport-Security"));
        // Studio's name does not lead to the visitors' side, nor the other way round.
        using var studio = proxy.Browser(ReverseProxy.StudioName);
        Assert.Equal(HttpStatusCode.NotFound, (await studio.GetAsync("/go/kit")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync("/sign-in")).StatusCode);
    }

    private static async Task AddressIsTheProxysToSayAsync(int port, string data)
    {
        using var proxy = new HttpClient { BaseAddress = new($"http://127.0.0.1:{port}") };
        proxy.DefaultRequestHeaders.UserAgent.ParseAdd(WexilFixture.Desktop);
        proxy.DefaultRequestHeaders.Host = ReverseProxy.VisitorsName;
        proxy.DefaultRequestHeaders.Add("X-Forwarded-For", "8.8.8.8");
        Assert.Equal(HttpStatusCode.OK, (await proxy.GetAsync("/go/kit")).StatusCode);
        Assert.Equal(["--", "US"], Countries(data));
        proxy.DefaultRequestHeaders.Host = "elsewhere.test";
        Assert.Equal(HttpStatusCode.MisdirectedRequest, (await proxy.GetAsync("/go/kit")).StatusCode);
    }

    private static async Task<string> CountAsync(HttpClient owner)
    {
        var said = "";
        // What is recorded is counted within moments.
        for (var i = 0; i < 100 && !said.Contains("1 visitor", StringComparison.Ordinal); i++)
            said = WexilFixture.Read(await owner.GetStringAsync("/f/kit/kit/count"));
        return said;
    }

    /// <summary>Where the visitors of the events came from, in the order in which they came.</summary>
    private static string[] Countries(string data)
    {
        using var file = new SqliteConnection($"Data Source={data}/wexil.db;Mode=ReadOnly;Pooling=false");
        file.Open();
        using var command = file.CreateCommand();
        command.CommandText = "SELECT substr(data, 2, 2) FROM events WHERE kind = 2 ORDER BY seq";
        using var rows = command.ExecuteReader();
        var countries = new List<string>();
        while (rows.Read())
            countries.Add(rows.GetString(0));
        return [.. countries];
    }

    private static async Task<string> LinkAsync(Process program)
    {
        while (await program.StandardOutput.ReadLineAsync() is { } line)
            if (Link().Match(line) is { Success: true } link)
            {
                _ = program.StandardOutput.ReadToEndAsync();
                return link.Value;
            }
        throw new InvalidOperationException(await program.StandardError.ReadToEndAsync());
    }

    [GeneratedRegex(@"https?://\S+key=\S+")]
    private static partial Regex Link();
}
