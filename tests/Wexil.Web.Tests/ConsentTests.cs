using System.Net;
using Wexil.App.Visits;
using Wexil.Core.SplitTests;
using Wexil.Store;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Tests;

/// <summary>Visitors who are counted without a cookie until they agree to one.</summary>
public sealed class ConsentTests : IAsyncLifetime
{
    private readonly WexilFixture _wexil = new();
    private TestedStep _tested = null!;

    public async Task InitializeAsync()
    {
        await _wexil.InitializeAsync();
        _tested = await _wexil.StartTestAsync("asked", Weights.Create(100, 0));
        using var owner = await _wexil.OwnerAsync();
        Assert.Equal(HttpStatusCode.Redirect, (await SaveAsync(owner, needsConsent: true)).StatusCode);
    }

    public Task DisposeAsync() => _wexil.DisposeAsync();

    [Fact]
    public async Task Without_consent_a_visit_and_its_opt_in_are_counted_once_and_no_cookie_is_given()
    {
        using var visitor = _wexil.Visitor();
        var page = await ArriveAsync(visitor, "/go/asked?utm_source=ad");
        Assert.StartsWith("/go/asked?utm_source=ad&wx_visit=", page);
        for (var i = 0; i < 2; i++)
        {
            using var shown = await GetAsync(visitor, page);
            Assert.Contains("Page A", await shown.Content.ReadAsStringAsync());
            Assert.False(shown.Headers.Contains("Set-Cookie"));
        }
        using var optIn = await OptInAsync(visitor, page);
        Assert.Equal("/go/asked-thanks", optIn.Headers.Location!.OriginalString);
        Assert.False(optIn.Headers.Contains("Set-Cookie"));
        var thanks = await ArriveAsync(visitor, "/go/asked-thanks", page);
        using (var shown = await GetAsync(visitor, thanks))
            Assert.Contains("Thanks", await shown.Content.ReadAsStringAsync());
        Assert.Equal((1L, 1L), await _wexil.CountedAsync(_tested.Test));
    }

    [Fact]
    public async Task Whoever_agrees_stays_the_same_visitor_and_gets_a_cookie_until_they_say_no()
    {
        using var visitor = _wexil.Visitor();
        var page = await ArriveAsync(visitor, "/go/asked");
        await GetAsync(visitor, page);
        using (var agreed = await SayAsync(visitor, "yes", page))
        {
            Assert.Equal(HttpStatusCode.NoContent, agreed.StatusCode);
            Assert.Equal(2, agreed.Headers.GetValues("Set-Cookie").Count());
        }
        // Days later, and by the plain link.
        _wexil.Time.Advance(TimeSpan.FromDays(3));
        using (var again = await GetAsync(visitor, "/go/asked"))
            Assert.Equal(HttpStatusCode.OK, again.StatusCode);
        Assert.Equal((1L, 0L), await _wexil.CountedAsync(_tested.Test));
        Assert.Contains("Delete my cookies", await visitor.GetStringAsync("/privacy"));
        using (await SayAsync(visitor, "no", page)) { }
        Assert.Equal(HttpStatusCode.Redirect, (await GetAsync(visitor, "/go/asked")).StatusCode);
        Assert.Contains("Agree to the cookie", await visitor.GetStringAsync("/privacy"));
    }

    [Fact]
    public async Task An_address_says_who_somebody_is_for_four_hours_and_no_other_site_agrees_for_them()
    {
        using var visitor = _wexil.Visitor();
        var page = await ArriveAsync(visitor, "/go/asked");
        await GetAsync(visitor, page);
        _wexil.Time.Advance(Consent.AddressLasts);
        Assert.Equal(HttpStatusCode.OK, (await GetAsync(visitor, page)).StatusCode);
        _wexil.Time.Advance(TimeSpan.FromSeconds(1));
        Assert.Equal(HttpStatusCode.Redirect, (await GetAsync(visitor, page)).StatusCode);
        using var forged = new HttpRequestMessage(HttpMethod.Post, "/consent/yes")
        {
            Headers = { { "Sec-Fetch-Site", "cross-site" } },
        };
        using var refused = await visitor.SendAsync(forged);
        Assert.Equal(HttpStatusCode.Forbidden, refused.StatusCode);
        Assert.False(refused.Headers.Contains("Set-Cookie"));
        // Another site's page is not believed.
        Assert.NotEqual(page, await ArriveAsync(visitor, "/go/asked", $"http://evil.example{page}"));
    }

    [Fact]
    public async Task A_page_by_its_own_address_and_a_form_without_script_work_the_same()
    {
        using var visitor = _wexil.Visitor();
        var page = await ArriveAsync(visitor, $"/p/{_tested.A.Slug}/");
        Assert.StartsWith($"/p/{_tested.A.Slug}/?wx_visit=", page);
        using (var shown = await GetAsync(visitor, page))
            Assert.Equal(HttpStatusCode.OK, shown.StatusCode);
        using var form = new HttpRequestMessage(HttpMethod.Post, "/consent/yes")
        {
            Headers = { { "Accept", "text/html" }, { "Referer", new Uri(_wexil.Visitors, page).ToString() } },
        };
        using var back = await visitor.SendAsync(form);
        Assert.Equal(page, back.Headers.Location!.OriginalString);
    }

    [Fact]
    public async Task Where_the_owner_does_not_wait_for_consent_everybody_gets_the_cookie_at_once()
    {
        using var owner = await _wexil.OwnerAsync();
        await SaveAsync(owner, needsConsent: false);
        using var visitor = _wexil.Visitor();
        using var shown = await GetAsync(visitor, "/go/asked");
        Assert.Equal(HttpStatusCode.OK, shown.StatusCode);
        Assert.Single(shown.Headers.GetValues("Set-Cookie"));
        Assert.Contains("One cookie.", await visitor.GetStringAsync("/privacy"));
    }

    private static Task<HttpResponseMessage> SaveAsync(HttpClient owner, bool needsConsent) =>
        WexilFixture.PostAsync(
            owner,
            "/settings",
            "",
            ("Zone", "Europe/Berlin"),
            ("CurrencyCode", "USD"),
            ("AffiliateParameter", "aff"),
            ("HeedPrivacy", "true"),
            ("NeedsConsent", needsConsent ? "true" : "false")
        );

    /// <summary>Where a visitor is sent who has no cookie.</summary>
    private async Task<string> ArriveAsync(HttpClient visitor, string link, string? from = null)
    {
        using var answer = await GetAsync(visitor, link, from);
        Assert.Equal(HttpStatusCode.Redirect, answer.StatusCode);
        Assert.False(answer.Headers.Contains("Set-Cookie"));
        return answer.Headers.Location!.OriginalString;
    }

    private async Task<HttpResponseMessage> GetAsync(HttpClient visitor, string address, string? from = null)
    {
        using var message = new HttpRequestMessage(HttpMethod.Get, address);
        if (from is not null)
            message.Headers.Referrer = new Uri(_wexil.Visitors, from);
        return await visitor.SendAsync(message);
    }

    private async Task<HttpResponseMessage> OptInAsync(HttpClient visitor, string page)
    {
        using var message = new HttpRequestMessage(HttpMethod.Post, $"/p/{_tested.A.Slug}/opt-in")
        {
            Content = new FormUrlEncodedContent([new("email", "ann@larkrow.example")]),
            Headers = { Referrer = new Uri(_wexil.Visitors, page) },
        };
        return await visitor.SendAsync(message);
    }

    private async Task<HttpResponseMessage> SayAsync(HttpClient visitor, string what, string page)
    {
        using var message = new HttpRequestMessage(HttpMethod.Post, $"/consent/{what}")
        {
            Headers = { Referrer = new Uri(_wexil.Visitors, page) },
        };
        return await visitor.SendAsync(message);
    }
}
