using System.Net;
using System.Security.Claims;
using Microsoft.AspNetCore.Http;
using Wexil.App.Health;
using Wexil.Web.Studio;

namespace Wexil.Web.Tests;

/// <summary>Strangers' requests, however many and slow, leave places for whoever is signed in.</summary>
[Trait("For", "security")]
public sealed class StrangerPlacesTests
{
    private static readonly DoorPlaces Door = new(Files: 1_024, Visitors: 400, Studio: 160);

    private readonly TaskCompletionSource _ended = new();
    private readonly StrangerPlaces _places;
    private int _served;

    public StrangerPlacesTests() => _places = new(ServeAsync, Door);

    [Fact]
    public async Task One_network_has_an_eighth_all_have_half_and_the_rest_is_for_who_is_signed_in()
    {
        var (all, ofOne) = StrangerPlaces.Most(Door);
        Assert.Equal((80, 20), (all, ofOne));
        var requests = new List<Task<int>>();
        void Ask(string address, bool isSignedIn = false) => requests.Add(AskAsync(address, isSignedIn));
        for (var i = 0; i < ofOne + 3; i++)
            Ask("203.0.113.9");
        Assert.Equal(ofOne, _served);
        // All addresses of an IPv6 network count as one caller.
        for (var i = 0; i < all; i++)
            Ask($"2001:db8:1:{i % 3}::{i + 1:x}");
        Assert.Equal(all, _served);
        Ask("198.51.100.1");
        Assert.Equal(all, _served);
        Ask("203.0.113.9", isSignedIn: true);
        Assert.Equal(all + 1, _served);

        _ended.SetResult();
        var answers = await Task.WhenAll(requests);
        Assert.Equal(all + 1, answers.Count(status => status == 200));
        Assert.All(answers, status => Assert.Contains(status, new[] { 200, 503 }));
        // The places are free again.
        Assert.Equal(200, await AskAsync("203.0.113.9"));
    }

    private async Task<int> AskAsync(string address, bool isSignedIn = false)
    {
        var http = new DefaultHttpContext { Connection = { RemoteIpAddress = IPAddress.Parse(address) } };
        if (isSignedIn)
            http.User = new(new ClaimsIdentity("cookie"));
        await _places.Invoke(http);
        Assert.Equal(http.Response.StatusCode == 503, http.Response.Headers.Connection == "close");
        return http.Response.StatusCode;
    }

    private Task ServeAsync(HttpContext http)
    {
        _served++;
        return _ended.Task;
    }
}
