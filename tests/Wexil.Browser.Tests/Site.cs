using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using Microsoft.Extensions.Time.Testing;
using Wexil.Core.Common;
using Wexil.Demo;
using Wexil.Tests;
using Wexil.Web.Hosting;
using Wexil.Web.Studio.Account;

namespace Wexil.Browser.Tests;

/// <summary>
/// A whole Wexil for a browser to open: an empty store, a clock that stands still, chance from a seed.
/// </summary>
public sealed class Site : IAsyncDisposable
{
    private Site(WexilHost host) => Host = host;

    public WexilHost Host { get; }
    public Uri Studio => Host.Options.Studio;
    public Uri Visitors => Host.Options.Visitors;

    /// <param name="data">A data folder that is there already; null for an empty one.</param>
    /// <param name="followsClock">Does what falls due by the clock, as at a start.</param>
    public static async Task<Site> StartAsync(string? data = null, bool followsClock = true) =>
        new(
            await WexilHost.StartAsync(
                new WexilOptions
                {
                    Data = data ?? TemporaryFolder.Create("browser"),
                    Studio = new($"http://localhost:{FreePort()}"),
                    Visitors = new($"http://127.0.0.1:{FreePort()}"),
                    FollowsClock = followsClock,
                    // As on a server, whatever this machine allows.
                    OpenFiles = 65_536,
                },
                new FakeTimeProvider(new DateTimeOffset(2040, 11, 9, 15, 0, 0, TimeSpan.Zero)),
                new SeededChance(12)
            )
        );

    /// <summary>The demo, which is filled once and copied for each test.</summary>
    public static async Task<Site> StartDemoAsync()
    {
        var (filled, data) = (await Demo.Value, TemporaryFolder.Create("demo"));
        foreach (var file in Directory.GetFiles(filled, "*", SearchOption.AllDirectories))
        {
            var copy = Path.Combine(data, Path.GetRelativePath(filled, file));
            Directory.CreateDirectory(Path.GetDirectoryName(copy)!);
            File.Copy(file, copy);
        }
        return await StartAsync(data, followsClock: false);
    }

    private static readonly Lazy<Task<string>> Demo = new(async () =>
    {
        await using var site = await StartAsync(TemporaryFolder.Create("demo-filled"), followsClock: false);
        await DemoWorld.FillAsync(site.Host, TextWriter.Null);
        site._isKept = true;
        return site.Host.Options.Data;
    });
    private bool _isKept;

    /// <summary>Opens Studio signed in, by the link that the program prints.</summary>
    public void SignIn(Browser browser) =>
        browser.Open(Studio, $"/sign-in?key={Host.Services.GetRequiredService<SignInLinks>().Issue()}");

    /// <summary>Somebody else's site, on an address that is another site to the browser.</summary>
    /// <param name="own">What stands for the page <c>{{own}}</c>, asked anew each time.</param>
    public static async Task<WebApplication> ElsewhereAsync(
        Func<Uri, IReadOnlyDictionary<string, string>> pages,
        Func<string>? own = null
    )
    {
        var address = new Uri($"http://127.0.0.2:{FreePort()}");
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls(address.GetLeftPart(UriPartial.Authority));
        var app = builder.Build();
        var shown = pages(address);
        app.MapGet("/{page}", (string page) => shown.TryGetValue(page, out var html)
                ? html == "{{own}}"
                    ? Results.Content(own!(), "text/html; charset=utf-8")
                    : Results.Content(html, "text/html; charset=utf-8")
                : Results.NotFound());
        await app.StartAsync();
        return app;
    }

    public async ValueTask DisposeAsync()
    {
        await Host.DisposeAsync();
        if (!_isKept)
            TemporaryFolder.Delete(Host.Options.Data);
    }

    public static int FreePort() => FreePorts.Next();
}
