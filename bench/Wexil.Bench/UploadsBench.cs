using System.Net;
using Wexil.App.Visits;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store;

namespace Wexil.Bench;

/// <summary>What a hundred uploads by strangers who mean harm do to the memory of the program.</summary>
public static class UploadsBench
{
    private const int Uploads = 100,
        AtOnce = 10;
    private const long Bytes = 75 << 20;

    public static async Task RunAsync(bool quick)
    {
        await using var world = await BenchWorld.StartAsync();
        var funnel = await world.Get<FunnelStore>().CreateAsync("Uploads");
        var step = (await world.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.OptIn, "Uploads", "uploads"))!;
        var page = await world
            .Get<PageStore>()
            .AddAsync(
                step.Id,
                "Uploads",
                PageBundle.OneFile("<h1>Uploads</h1><form><input type=email name=email></form>")
            );
        var options = world.Host.Options;
        Uri[] doors =
        [
            new(options.Studio, "/sign-in"),
            new(options.Studio, "/f/uploads/uploads/build/add?handler=Upload"),
            new(options.Visitors, $"/p/{world.Get<PageStore>().Find(page)!.Slug}/opt-in"),
            new(options.Visitors, "/reached"),
            new(options.Visitors, "/hooks/sale"),
        ];
        Console.WriteLine(
            $"{Uploads} bodies of {Bytes >> 20} MB without a sign-in, {AtOnce} at once, to {doors.Length} addresses."
        );
        Console.WriteLine($"before: {Memory():N0} MB");
        var answers = new Dictionary<string, int>();
        var sent = 0L;
        using var client = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false });
        await Parallel.ForEachAsync(
            Enumerable.Range(0, quick ? Uploads / 10 : Uploads),
            new ParallelOptions { MaxDegreeOfParallelism = AtOnce },
            async (i, stop) =>
            {
                using var body = new Body();
                var told = await PostAsync(client, doors[i % doors.Length], body, stop);
                lock (answers)
                    answers[told] = answers.GetValueOrDefault(told) + 1;
                Interlocked.Add(ref sent, body.Sent);
            }
        );
        var counts = answers.OrderBy(answer => answer.Key).Select(answer => $"{answer.Value} × {answer.Key}");
        Console.WriteLine($"answers: {string.Join(", ", counts)}; {sent >> 20:N0} MB sent until they were refused");
        Console.WriteLine($"after:  {Memory():N0} MB");
    }

    private static async Task<string> PostAsync(HttpClient client, Uri door, Body body, CancellationToken stop)
    {
        try
        {
            using var answer = await client.PostAsync(door, body, stop);
            return $"{(int)answer.StatusCode}";
        }
        catch (HttpRequestException)
        {
            return "hung up";
        }
    }

    private static long Memory()
    {
        using var process = System.Diagnostics.Process.GetCurrentProcess();
        return process.WorkingSet64 >> 20;
    }

    /// <summary>A form of one long value.</summary>
    private sealed class Body : HttpContent
    {
        public Body() => Headers.ContentType = new("application/x-www-form-urlencoded");

        public long Sent { get; private set; }

        protected override async Task SerializeToStreamAsync(Stream stream, TransportContext? context)
        {
            var piece = new byte[64 << 10];
            Array.Fill(piece, (byte)'a');
            for (; Sent < Bytes; Sent += piece.Length)
                await stream.WriteAsync(piece);
        }

        protected override bool TryComputeLength(out long length)
        {
            // Of unknown length, so that only what is read can be bounded.
            length = 0;
            return false;
        }
    }
}
