using System.Net;
using System.Net.Http.Headers;
using Wexil.Core.Pages;
using Wexil.Store;
using Wexil.Web.Studio;

namespace Wexil.Web.Tests;

/// <summary>
/// How much a request may hold: little from strangers, a form from who is signed in, more where a screen takes files.
/// </summary>
[Trait("For", "security")]
[Trait("Pace", "slow")]
public sealed class BodyLimitTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Theory]
    [InlineData("/sign-in")]
    [InlineData("/first-run")]
    [InlineData("/settings")]
    [InlineData("/f/any/any/build/add?handler=Upload")]
    public async Task A_stranger_is_refused_before_a_large_body_is_read(string path)
    {
        using var stranger = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false })
        {
            BaseAddress = wexil.Studio,
        };
        using var large = new Endless(75 << 20);
        using var answer = await stranger.SendAsync(
            new(HttpMethod.Post, path) { Content = large, Headers = { ExpectContinue = true } }
        );
        Assert.Contains(answer.StatusCode, new[] { HttpStatusCode.RequestEntityTooLarge, HttpStatusCode.Redirect });
        Assert.True(large.Sent < 1 << 20, $"{large.Sent} bytes were sent");
    }

    [Fact]
    public async Task A_form_has_its_limit_on_both_sides_and_a_screen_that_takes_files_has_a_larger_one()
    {
        using var owner = await wexil.OwnerAsync();
        async Task<HttpStatusCode> PostAsync(string path, long bytes)
        {
            using var answer = await owner.SendAsync(
                new(HttpMethod.Post, path) { Content = new Endless(bytes), Headers = { ExpectContinue = true } }
            );
            return answer.StatusCode;
        }
        var tested = await wexil.StartTestAsync("bounded");
        // What is not refused for its size has no antiforgery token, which is another refusal.
        Assert.Equal(HttpStatusCode.BadRequest, await PostAsync("/settings", BodyLimits.Form));
        Assert.Equal(HttpStatusCode.RequestEntityTooLarge, await PostAsync("/settings", BodyLimits.Form + 1));
        Assert.Equal(
            HttpStatusCode.BadRequest,
            await PostAsync($"/f/{tested.Funnel.Slug}/bounded/build/add", BodyLimits.Form + 1)
        );
        using var refused = await owner.SendAsync(
            new(HttpMethod.Post, $"/f/{tested.Funnel.Slug}/bounded/build/add")
            {
                Content = new Endless(81 << 20),
                Headers = { ExpectContinue = true },
            }
        );
        Assert.Equal(HttpStatusCode.RequestEntityTooLarge, refused.StatusCode);
        Assert.Contains("At most 80 MB can be sent here.", await refused.Content.ReadAsStringAsync());
    }

    [Fact]
    public async Task A_visitor_sends_64_KB_at_most()
    {
        using var visitor = wexil.Visitor();
        foreach (var path in new[] { "/reached", "/signal/x", "/hooks/sale", "/p/any/opt-in" })
        {
            using var answer = await visitor.SendAsync(
                new(HttpMethod.Post, path) { Content = new Endless(75 << 20), Headers = { ExpectContinue = true } }
            );
            Assert.True((int)answer.StatusCode is >= 400 and < 500, $"{path}: {answer.StatusCode}");
        }
    }

    [Fact]
    public async Task A_zip_that_waits_to_be_placed_lies_on_disk_for_a_day()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var site = fresh.Wexil;
        using var owner = await site.OwnerAsync();
        var tested = await site.StartTestAsync("waiting");
        var add = $"/f/{tested.Funnel.Slug}/waiting/build/add";
        var zip = PageArchive.Write([
            new("index.html", "<h1>One"u8.ToArray()),
            new("two.html", "<h1>Two"u8.ToArray()),
            new("404.html", "<h1>Gone"u8.ToArray()),
            new(".nojekyll", []),
        ]);
        var placing = (await BuildTests.UploadAsync(owner, add, "Upload", zip)).Headers.Location!.ToString();
        var waiting = Assert.Single(Directory.GetFiles(site.Get<DataFolder>().Uploads));
        Assert.Equal(zip.Length, new FileInfo(waiting).Length);
        var screen = await owner.GetStringAsync(placing);
        Assert.Contains("Leave out", screen);
        Assert.Contains("404.html", screen);
        Assert.DoesNotContain("nojekyll", screen);
        // Another step's screen does not find it, nor does anybody by a made-up name.
        Assert.Equal(
            HttpStatusCode.Redirect,
            (
                await owner.GetAsync(
                    placing.Replace("/waiting/build", "/waiting-thanks/build", StringComparison.Ordinal)
                )
            ).StatusCode
        );
        Assert.Equal(HttpStatusCode.Redirect, (await owner.GetAsync(add + "/..%2f..%2fwexil.db")).StatusCode);

        site.Time.Advance(TimeSpan.FromHours(25));
        Assert.Equal(HttpStatusCode.Redirect, (await owner.GetAsync(placing)).StatusCode);
        await BuildTests.UploadAsync(owner, add, "Upload", zip);
        Assert.False(File.Exists(waiting));
        Assert.Single(Directory.GetFiles(site.Get<DataFolder>().Uploads));
    }

    /// <summary>A body of so many bytes that notes how many were asked for.</summary>
    private sealed class Endless : HttpContent
    {
        private readonly long _length;
        private long _sent;

        public Endless(long length)
        {
            _length = length;
            Headers.ContentType = new MediaTypeHeaderValue("application/x-www-form-urlencoded");
        }

        public long Sent => _sent;

        protected override async Task SerializeToStreamAsync(Stream stream, TransportContext? context)
        {
            var piece = new byte[64 << 10];
            while (_sent < _length)
            {
                await stream.WriteAsync(piece.AsMemory(0, (int)Math.Min(piece.Length, _length - _sent)));
                _sent += piece.Length;
            }
        }

        protected override bool TryComputeLength(out long length)
        {
            length = _length;
            return true;
        }
    }
}
