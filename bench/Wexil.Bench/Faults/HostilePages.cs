using System.Diagnostics;
using System.Net;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Http;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using Wexil.Core.Funnels;
using Wexil.Store;

namespace Wexil.Bench.Faults;

/// <summary>Outside pages that are written to keep whoever reads them busy, on a server of their own.</summary>
public sealed class HostilePages
{
    /// <summary>Each is small enough to be read at all.</summary>
    public static readonly (string Name, string Html)[] Sources =
    [
        ("end tags that end nothing", Times("<div></x>", 20_000)),
        ("the same, many more", Times("<div></x>", 450_000)),
        ("elements within elements", Times("<div>", 700_000)),
        ("styles opened again in each line", Numbered("b", 900) + Times("<div>x</div>", 2_000)),
        ("lists within lists", Times("<ul><li>", 500_000)),
        ("addresses without an end", $"<style>{Times("url(", 900_000)}</style>"),
        ("attributes", $"<p {Times("a=1 ", 900_000)}>"),
        ("one long word", new('x', 4_000_000)),
    ];

    private const int Copies = 4,
        Rounds = 3;

    private readonly Uri _address = new($"http://127.0.0.2:{BenchWorld.FreePort()}");
    private string _link = "";
    private string[] _pages = [];

    public async Task FurnishAsync(FaultWorld world, IServiceProvider services)
    {
        var (pages, wiring) = (
            services.GetRequiredService<PageStore>(),
            services.GetRequiredService<InstallationStore>()
        );
        await services.GetRequiredService<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        var step = (
            await services
                .GetRequiredService<FunnelStore>()
                .AddStepAsync(world.Funnel, StepKind.Sales, "Outside", "outside")
        )!;
        for (var i = 0; i < Sources.Length * Copies; i++)
            await pages.AddAsync(step.Id, $"Outside {i}", new Uri(_address, $"{i}"));
        var added = pages.ForStep(step.Id);
        _pages = [.. added.Select(page => page.Slug)];
        _link = await wiring.Links.MakeAsync(world.Funnel.Value);
        await wiring.ChooseAsync(_link, [.. added.Select(page => page.Id)]);
    }

    /// <summary>Has all pages checked at once by the helper's link, several times.</summary>
    public async Task<string> CheckAsync(FaultWorld world)
    {
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        await using var server = builder.Build();
        server.Urls.Add(_address.OriginalString);
        server.Run(ServeAsync);
        await server.StartAsync();
        using var client = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false })
        {
            BaseAddress = world.Visitors,
        };
        var longest = TimeSpan.Zero;
        for (var round = 0; round < Rounds; round++)
        {
            var took = await Task.WhenAll(_pages.Select(page => TimeAsync(client, $"/share/{_link}/check/{page}")));
            longest = took.Append(longest).Max();
        }
        return $"{_pages.Length} pages {Rounds} times, all at once; the longest took {longest.TotalSeconds:0.0} s";
    }

    private static async Task<TimeSpan> TimeAsync(HttpClient client, string path)
    {
        var watch = Stopwatch.StartNew();
        using var answer = await client.PostAsync(path, null);
        return answer.StatusCode == HttpStatusCode.SeeOther
            ? watch.Elapsed
            : throw new InvalidOperationException($"The check was answered with {answer.StatusCode}.");
    }

    private static Task ServeAsync(HttpContext http)
    {
        http.Response.ContentType = "text/html; charset=utf-8";
        return http.Response.WriteAsync(Sources[int.Parse(http.Request.Path.Value!.Trim('/')) % Sources.Length].Html);
    }

    private static string Times(string text, int count) => string.Concat(Enumerable.Repeat(text, count));

    private static string Numbered(string element, int count) =>
        string.Concat(Enumerable.Range(0, count).Select(i => $"<{element} id={i}>"));
}
