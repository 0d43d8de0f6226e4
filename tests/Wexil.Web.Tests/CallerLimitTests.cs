using System.Net;
using Wexil.Store;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Tests;

/// <summary>What one network may send, and that it keeps nobody else away.</summary>
[Trait("For", "security")]
public sealed class CallerLimitTests : IAsyncLifetime
{
    private readonly WexilFixture _wexil = new()
    {
        Adjust = options => options with { TrustedProxies = [IPAddress.Loopback, IPAddress.IPv6Loopback] },
    };

    public Task InitializeAsync() => _wexil.InitializeAsync();

    public Task DisposeAsync() => _wexil.DisposeAsync();

    [Fact]
    public async Task Opt_ins_from_one_network_are_slowed_and_neither_others_nor_links_are()
    {
        var tested = await _wexil.StartTestAsync("limited");
        var (flood, other) = (From("203.0.113.9"), From("203.0.113.10"));
        for (var i = 0; i < CallerLimits.OptInsAtOnce; i++)
            Assert.Equal(HttpStatusCode.SeeOther, (await OptInAsync(flood, tested, i)).StatusCode);
        using var slowed = await UntilSlowedAsync(() => OptInAsync(flood, tested, 0));
        Assert.Equal(CallerLimits.RetryAfter, slowed.Headers.RetryAfter!.Delta!.Value.TotalSeconds);
        Assert.Contains("what you typed is still there", await slowed.Content.ReadAsStringAsync());
        Assert.Equal(HttpStatusCode.SeeOther, (await OptInAsync(other, tested, 0)).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await flood.GetAsync("/go/limited")).StatusCode);
        // A whole network of IPv6 is one.
        for (var i = 0; i < CallerLimits.OptInsAtOnce; i++)
            await OptInAsync(From($"2001:db8:1:2::{i:x}"), tested, i);
        using var network = await UntilSlowedAsync(() => OptInAsync(From("2001:db8:1:2:ffff::1"), tested, 0));
        Assert.Equal(HttpStatusCode.SeeOther, (await OptInAsync(From("2001:db8:1:3::1"), tested, 0)).StatusCode);
    }

    [Theory]
    [InlineData("/hooks/sale")]
    [InlineData("/signal/any")]
    public async Task Messages_from_one_network_are_slowed(string address)
    {
        await _wexil.Get<SecretStore>().RenewHookSecretAsync();
        var flood = From("203.0.113.9");
        using var slowed = await UntilSlowedAsync(async () =>
        {
            using var body = new StringContent("{}");
            return await flood.PostAsync(address, body);
        });
        using var others = new StringContent("{}");
        Assert.NotEqual(
            HttpStatusCode.TooManyRequests,
            (await From("203.0.113.10").PostAsync(address, others)).StatusCode
        );
    }

    /// <summary>A second lets some in again, so the next may be one of those.</summary>
    private static async Task<HttpResponseMessage> UntilSlowedAsync(Func<Task<HttpResponseMessage>> send)
    {
        for (var i = 0; i < 2_000; i++)
        {
            var answer = await send();
            if (answer.StatusCode == HttpStatusCode.TooManyRequests)
                return answer;
            answer.Dispose();
        }
        throw new Xunit.Sdk.XunitException("Nothing was slowed.");
    }

    private static Task<HttpResponseMessage> OptInAsync(HttpClient visitor, TestedStep tested, int number) =>
        visitor.PostAsync(
            $"/p/{tested.A.Slug}/opt-in",
            new FormUrlEncodedContent([new("email", $"visitor{number}@larkrow.example")])
        );

    private HttpClient From(string address)
    {
        var client = _wexil.Visitor(cookies: false);
        client.DefaultRequestHeaders.Add("X-Forwarded-For", address);
        return client;
    }
}
