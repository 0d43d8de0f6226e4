using System.Diagnostics;

namespace Wexil.Bench.Screens;

/// <summary>
/// Every screen of the demo and of an agency's world: how long the server takes, how much it sends, and when the
/// content shows; memory, and what a visitor feels of screens that are opened.
/// </summary>
public static class ScreensBench
{
    private const int Openings = 9,
        Shows = 3,
        Connections = 16,
        Visits = 1500;

    private static readonly (string Name, string Path)[] OfAll =
    [
        ("Today", "/"),
        ("Tests", "/tests"),
        ("Tests by visitors", "/tests?sort=Visitors"),
        ("Tests, searched", "/tests?q=harvest"),
        ("Sales", "/sales"),
        ("People", "/people"),
        ("People, searched", "/people?text=7"),
        ("People from a file", "/people/file"),
        ("Sales, by product", "/sales?by=Product"),
        ("Sales, by page", "/sales?by=Page"),
        ("Sales, by test", "/sales?by=Test"),
        ("Sales, by source", "/sales?by=Source"),
        ("Jump", "/jump?q=harvest"),
        ("Funnels", "/funnels"),
        ("Opt-ins sent on", "/outbox"),
        ("Settings", "/settings"),
        ("Rates", "/settings/rates"),
        ("First test", "/first-test"),
        ("Calculators", "/workbench"),
        ("Guide", "/guide"),
    ];

    /// <param name="folder">Where the agency's world is, or is to stay; null for one that goes with the bench.</param>
    public static async Task RunAsync(bool quick, string? folder)
    {
        var size = quick ? AgencySize.Small : AgencySize.Whole;
        var temporary = Directory.CreateTempSubdirectory("wexil-bench-").FullName;
        try
        {
            var demo = Path.Combine(temporary, "demo");
            Console.WriteLine("The demo");
            await using (var served = await ServedWexil.StartAsync("Wexil.Demo", "demo", demo))
                await PrintScreensAsync(served, [.. OfAll, .. OfStep("balcony-harvest", "calendar", "kit")]);
            var agency = folder ?? Path.Combine(temporary, "agency");
            if (!File.Exists(Path.Combine(agency, "wexil.db")))
                await AgencyWorld.MakeAsync(agency, size);
            await AgencyWorld.PrintRecordingAsync(agency, size);
            Console.WriteLine("The agency");
            await using (var served = await ServedWexil.StartAsync("Wexil.Web", "serve", agency))
            {
                var before = served.Memory;
                (string Name, string Path)[] screens =
                [
                    .. OfAll,
                    .. OfStep("larkrow-1", "larkrow-1-opt-in", "larkrow-1-sales"),
                ];
                await PrintScreensAsync(served, screens);
                await PrintLoadAsync(served, size, screens, TimeSpan.FromSeconds(quick ? 5 : 20));
                Console.WriteLine(
                    $"memory: {before / 1e6:0} MB at the start, {served.Memory / 1e6:0} MB after all of it"
                );
            }
        }
        finally
        {
            Directory.Delete(temporary, recursive: true);
        }
    }

    /// <param name="leaning">A step with a test that has many phases, or an ordinary one.</param>
    private static IEnumerable<(string Name, string Path)> OfStep(string funnel, string leaning, string other)
    {
        yield return ("Steps", $"/f/{funnel}/steps");
        yield return ("Sources", $"/f/{funnel}/sources");
        yield return ("Installation", $"/f/{funnel}/wiring");
        yield return ("Files", $"/f/{funnel}/files");
        yield return ("Rehearsal", $"/f/{funnel}/rehearsal");
        foreach (var (step, words) in new[] { (leaning, ""), (other, ", another step") })
        {
            yield return ($"Build{words}", $"/f/{funnel}/{step}/build");
            yield return ($"Send{words}", $"/f/{funnel}/{step}/send");
            yield return ($"Count{words}", $"/f/{funnel}/{step}/count");
            yield return ($"Keep{words}", $"/f/{funnel}/{step}/keep");
            yield return ($"Goals{words}", $"/f/{funnel}/{step}/goals");
        }
    }

    private static async Task PrintScreensAsync(ServedWexil served, IReadOnlyList<(string Name, string Path)> screens)
    {
        using var content = ContentTimes.Start(served);
        PrintRow("screen", "first", "server", "slowest", "size", "content");
        foreach (var (name, path) in screens)
        {
            var (first, size) = await OpenAsync(served, path);
            var times = new List<double>();
            for (var i = 0; i < Openings; i++)
                times.Add((await OpenAsync(served, path)).Milliseconds);
            times.Sort();
            var shown = content is null
                ? []
                : Enumerable.Range(0, Shows).Select(_ => content.Of(path)).Order().ToArray();
            PrintRow(
                name,
                $"{first:0} ms",
                $"{times[Openings / 2]:0} ms",
                $"{times[^1]:0} ms",
                $"{size / 1e3:0} kB",
                shown.Length > 0 ? $"{shown[Shows / 2]:0} ms" : "no Chromium"
            );
        }
    }

    private static void PrintRow(string name, params string[] cells) =>
        Console.WriteLine($"  {name.PadRight(22)}{string.Concat(cells.Select(cell => cell.PadLeft(10)))}");

    private static async Task<(double Milliseconds, long Size)> OpenAsync(ServedWexil served, string path)
    {
        var began = Stopwatch.GetTimestamp();
        using var answer = await served.Owner.GetAsync(path);
        var body = await answer.Content.ReadAsByteArrayAsync();
        if (!answer.IsSuccessStatusCode)
            throw new InvalidOperationException($"{path} answers {(int)answer.StatusCode}.");
        return (Stopwatch.GetElapsedTime(began).TotalMilliseconds, body.Length);
    }

    /// <summary>The link alone, then while somebody opens Today, then while somebody opens every screen.</summary>
    private static async Task PrintLoadAsync(
        ServedWexil served,
        AgencySize size,
        IReadOnlyList<(string Name, string Path)> screens,
        TimeSpan duration
    )
    {
        string[] links = [.. Enumerable.Range(1, size.Funnels).Select(f => $"/go/larkrow-{f}-opt-in?s=ads-{f % 12}")];
        async Task<double> LoadAsync(string beside, IReadOnlyList<string> opened)
        {
            using var end = new CancellationTokenSource();
            var opening = Task.Run(async () =>
            {
                for (var i = 0; opened.Count > 0 && !end.IsCancellationRequested; i++)
                    await OpenAsync(served, opened[i % opened.Count]);
            });
            var round = await LoadGenerator.RunAsync(
                served.Visitors,
                Connections,
                duration,
                returning: 0.3,
                "200",
                links,
                Visits
            );
            await end.CancelAsync();
            await opening;
            Console.WriteLine(
                $"/go at {round.PerSecond:N0} a second {beside.PadRight(28)} p50 {round.Quantile(0.5):0.0} ms, "
                    + $"p99 {round.Quantile(0.99):0.0} ms, failed {round.Failed}"
            );
            return round.Quantile(0.99);
        }
        await LoadAsync("to warm up", []);
        var alone = await LoadAsync("alone", []);
        var today = await LoadAsync("while Today is reopened", ["/"]);
        var all = await LoadAsync("while all screens are opened", [.. screens.Select(screen => screen.Path)]);
        Console.WriteLine(
            $"p99 of /go: {today / alone:0.0} times with Today, {all / alone:0.0} times with all screens"
        );
    }
}
