using Wexil.App.Installation;
using Wexil.Core.Funnels;

namespace Wexil.Demo.Simulators;

/// <summary>
/// The demo's outside pages: a made-up site on an address of its own, which is another site to the browser. Simulated,
/// and it says so.
/// </summary>
public sealed class LarkrowSite : IAsyncDisposable
{
    private readonly WebApplication _app;

    private LarkrowSite(WebApplication app) => _app = app;

    /// <param name="wexil">Where the script and the links of the site lead.</param>
    public static async Task<LarkrowSite> StartAsync(Uri wexil, Uri? address = null)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.SetMinimumLevel(LogLevel.Warning);
        builder.WebHost.UseUrls((address ?? SimulatorAddresses.Default.Site).GetLeftPart(UriPartial.Authority));
        var app = builder.Build();
        var pages = Pages(wexil.GetLeftPart(UriPartial.Authority));
        app.MapGet("/larkrow.css", () => Results.Content(pages["larkrow"], "text/css; charset=utf-8"));
        app.MapGet("/{page}", (string page) =>
            pages.TryGetValue(page, out var html)
                ? Results.Content(html, "text/html; charset=utf-8")
                : Results.NotFound()
        );
        await app.StartAsync();
        return new(app);
    }

    public ValueTask DisposeAsync() => _app.DisposeAsync();

    private static Dictionary<string, string> Pages(string wexil)
    {
        // As an owner pastes it, in front of the part.
        var banner = SectionLoader.For(BalconyNotes.Banner, wexil, Step.DefaultStartWait);
        const string start = "Wexil.Demo.Simulators.Larkrow.";
        var assembly = typeof(LarkrowSite).Assembly;
        return assembly
            .GetManifestResourceNames()
            .Where(name => name.StartsWith(start, StringComparison.Ordinal))
            .ToDictionary(
                name => Path.GetFileNameWithoutExtension(name[start.Length..]),
                name =>
                {
                    using var reader = new StreamReader(assembly.GetManifestResourceStream(name)!);
                    return reader
                        .ReadToEnd()
                        .Replace("{{wexil}}", wexil, StringComparison.Ordinal)
                        .Replace("{{banner}}", banner, StringComparison.Ordinal);
                }
            );
    }
}
