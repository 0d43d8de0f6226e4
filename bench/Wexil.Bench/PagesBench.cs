using System.Diagnostics;
using System.Globalization;
using System.Text;
using Microsoft.AspNetCore.Builder;
using Microsoft.AspNetCore.Hosting;
using Microsoft.Extensions.FileProviders;
using Microsoft.Extensions.Logging;
using Wexil.App.Visits;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Differences;
using Wexil.Store;

namespace Wexil.Bench;

/// <summary>
/// Hosted pages and their files against the framework's own static files, the same generator in turns; and how long
/// very large pages take.
/// </summary>
public static class PagesBench
{
    private const int Connections = 64;

    public static async Task RunAsync(bool quick)
    {
        var (rounds, duration) = quick ? (2, TimeSpan.FromSeconds(2)) : (5, TimeSpan.FromSeconds(5));
        await using var world = await BenchWorld.StartAsync();
        var html =
            "<!doctype html><title>Bench</title><h1>Bench</h1><img src=\"pic.png\">"
            + string.Concat(Enumerable.Range(0, 200).Select(i => $"<p>Paragraph {i} with a few words in it.</p>\n"));
        var picture = new byte[24 << 10];
        new Random(1).NextBytes(picture);
        var funnel = await world.Get<FunnelStore>().CreateAsync("Pages");
        var step = (await world.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.Sales, "Pages", "pages"))!;
        var pages = world.Get<PageStore>();
        var page = pages.Find(
            await pages.AddAsync(
                step.Id,
                "Pages",
                new PageBundle([new("index.html", Encoding.UTF8.GetBytes(html)), new("pic.png", picture)], "index.html")
            )
        )!;
        await using var plain = await StartStaticAsync(html, picture);
        var origin = new Uri(plain.Urls.Single());
        Console.WriteLine(
            $"{Connections} connections, {rounds} rounds of {duration.TotalSeconds:0} s each, "
                + $"{Environment.ProcessorCount} cores shared with the generator."
        );
        foreach (
            var (what, ours, theirs) in new[]
            {
                ($"page of {html.Length / 1024} KB", $"/p/{page.Slug}/?try=1", "/index.html"),
                (
                    $"picture of {picture.Length / 1024} KB",
                    $"/a/{pages.Hashes(page.Id, 1)["pic.png"]}/pic.png",
                    "/pic.png"
                ),
            }
        )
        {
            var ratios = new List<double>();
            for (var i = 0; i <= rounds; i++)
            {
                var framework = await LoadGenerator.RunAsync(
                    new(origin, theirs),
                    Connections,
                    i == 0 ? TimeSpan.FromSeconds(1) : duration,
                    0,
                    "200"
                );
                var wexil = await LoadGenerator.RunAsync(
                    new(world.Host.Options.Visitors, ours),
                    Connections,
                    i == 0 ? TimeSpan.FromSeconds(1) : duration,
                    0,
                    "200"
                );
                if (i == 0)
                    continue;
                ratios.Add(wexil.PerSecond / framework.PerSecond);
                Console.WriteLine(
                    $"{what}, round {i}: static files {Figure.Padded(framework.PerSecond)} a second, Wexil "
                        + $"{Figure.Padded(wexil.PerSecond)} a second, failed {framework.Failed + wexil.Failed}"
                );
            }
            ratios.Sort();
            Console.WriteLine($"ratio for the {what}, median of the rounds: {ratios[ratios.Count / 2]:0.00}");
        }
        await LargeAsync(world, step);
    }

    private static async Task LargeAsync(BenchWorld world, Step step)
    {
        var before = Large(1);
        var after = before.Replace("Paragraph 7000 ", "Another 7000 ", StringComparison.Ordinal);
        var watch = Stopwatch.StartNew();
        var changes = PageDifferences.Between(before, after);
        var first = watch.ElapsedMilliseconds;
        var times = new long[9];
        for (var i = 0; i < times.Length; i++)
        {
            watch.Restart();
            changes = PageDifferences.Between(before, after);
            times[i] = watch.ElapsedMilliseconds;
        }
        Array.Sort(times);
        Console.WriteLine(
            $"comparing two pages of {before.Length / 1048576.0:0.0} MB with {changes.Changes.Count} change: "
                + $"the first time {first} ms, then {times[4]} ms in the median ({times[0]} to {times[^1]})"
        );
        watch.Restart();
        var all = PageDifferences.Between(before, Large(2));
        Console.WriteLine(
            $"comparing two pages of that size that have nothing in common: {watch.ElapsedMilliseconds} ms "
                + $"({all.Changes.Count} changes)"
        );

        var pages = world.Get<PageStore>();
        var parent = pages.Find(await pages.AddAsync(step.Id, "Large", PageBundle.OneFile(before)))!;
        var page = pages.Find(await pages.CloneAsync(parent, "Large clone"))!;
        await world.Get<DraftStore>().EditAsync(page, world.Get<DraftStore>().For(page), after, "");
        using var owner = await world.OwnerAsync();
        foreach (var what in new[] { "first", "second" })
        {
            watch.Restart();
            var screen = await owner.GetStringAsync($"/f/pages/pages/build/{page.Slug}");
            var frame = screen.Split("data-frame=\"")[1].Split('"')[0];
            var shown = watch.ElapsedMilliseconds;
            using var visitor = new HttpClient();
            await visitor.GetByteArrayAsync(frame);
            var framed = watch.ElapsedMilliseconds;
            await owner.GetStringAsync($"/f/pages/pages/build/{page.Slug}?handler=State");
            Console.WriteLine(
                $"opening the editor on it, {what} time: screen {shown} ms, page in its frame {framed} ms, "
                    + $"changes and wiring {watch.ElapsedMilliseconds} ms"
            );
        }
    }

    private static string Large(int seed)
    {
        var page = new StringBuilder("<!doctype html><title>Large</title><body>");
        for (var i = 0; page.Length < 2 << 20; i++)
        {
            if (i % 40 == 0)
                page.Append(
                    CultureInfo.InvariantCulture,
                    $"</section><section id=\"s{seed}-{i}\"><h2>Part {seed} {i}</h2>"
                );
            page.Append(
                CultureInfo.InvariantCulture,
                $"<p class=\"c{seed}\">Paragraph {i} of {seed}, with <b>a few</b> words and a <a "
                    + $"href=\"/go/x{i}\">link {i * seed}</a> in it.</p>\n"
            );
        }
        return page.ToString();
    }

    private static async Task<WebApplication> StartStaticAsync(string html, byte[] picture)
    {
        var folder = Directory.CreateTempSubdirectory("wexil-bench-static-").FullName;
        await File.WriteAllTextAsync(Path.Combine(folder, "index.html"), html);
        await File.WriteAllBytesAsync(Path.Combine(folder, "pic.png"), picture);
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.ClearProviders();
        builder.WebHost.UseUrls($"http://127.0.0.1:{BenchWorld.FreePort()}");
        builder.WebHost.ConfigureKestrel(kestrel => kestrel.AddServerHeader = false);
        var app = builder.Build();
        app.UseStaticFiles(new StaticFileOptions { FileProvider = new PhysicalFileProvider(folder) });
        await app.StartAsync();
        return app;
    }
}
