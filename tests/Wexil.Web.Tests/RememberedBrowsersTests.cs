using System.Net;

namespace Wexil.Web.Tests;

/// <summary>
/// What is remembered of browsers has a bound in bytes. The heap is that of the whole process, so nothing else runs
/// meanwhile.
/// </summary>
[Collection(nameof(RememberedBrowsersTests))]
[Trait("For", "security")]
public sealed class RememberedBrowsersTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task Browsers_that_call_themselves_ever_differently_at_length_take_no_more_memory()
    {
        await wexil.StartTestAsync("agents");
        using var visitor = wexil.Visitor(cookies: false);
        visitor.DefaultRequestHeaders.UserAgent.Clear();
        var before = GC.GetTotalMemory(forceFullCollection: true);
        for (var i = 0; i < 1_500; i++)
        {
            using var request = new HttpRequestMessage(HttpMethod.Get, "/go/agents");
            request.Headers.TryAddWithoutValidation("User-Agent", $"Mozilla/5.0 {i} {new string('x', 14_000)}");
            using var answer = await visitor.SendAsync(request);
            Assert.Equal(HttpStatusCode.OK, answer.StatusCode);
        }
        // Whole headers would have taken 40 MB in each of two memories.
        Assert.InRange(GC.GetTotalMemory(forceFullCollection: true) - before, long.MinValue, 20_000_000);
    }
}

/// <summary>Tests that measure the heap run alone.</summary>
[CollectionDefinition(nameof(RememberedBrowsersTests), DisableParallelization = true)]
public sealed class HeapTestsRunAlone;
