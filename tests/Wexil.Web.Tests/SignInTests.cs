using System.Net;
using Microsoft.Data.Sqlite;
using Wexil.App.Tickets;
using Wexil.Store.Team;
using Wexil.Web.Hosting;
using Wexil.Web.Studio.Account;

namespace Wexil.Web.Tests;

/// <summary>Who gets in, stays in, and is shown the door.</summary>
[Trait("For", "security")]
public sealed class SignInTests : IAsyncLifetime
{
    private const string Password = "seven quiet balconies";

    private readonly WexilFixture _wexil = new()
    {
        Adjust = options => options with { TrustedProxies = [IPAddress.Loopback, IPAddress.IPv6Loopback] },
    };

    public async Task InitializeAsync()
    {
        await _wexil.InitializeAsync();
        await _wexil.Get<Passwords>().SetAsync(MemberId.First, Password);
    }

    public Task DisposeAsync() => _wexil.DisposeAsync();

    [Fact]
    public async Task A_copied_cookie_opens_nothing_once_its_owner_has_signed_out()
    {
        var (owner, cookies) = await SignInAsync("198.51.100.1");
        var (thief, stolen) = Browser("203.0.113.9");
        stolen.Add(cookies.GetCookies(_wexil.Studio));
        Assert.True(await IsInAsync(thief));
        await WexilFixture.PostAsync(owner, "/", "/sign-in", "Out");
        Assert.False(await IsInAsync(owner));
        Assert.False(await IsInAsync(thief));
    }

    [Fact]
    public async Task Browsers_are_listed_and_signed_out_one_by_one_and_all_but_this_one()
    {
        var (owner, _) = await SignInAsync("198.51.100.1");
        var (second, _) = await SignInAsync("198.51.100.2", WexilFixture.Phone);
        var (third, _) = await SignInAsync("198.51.100.3");
        var page = WexilFixture.Read(await owner.GetStringAsync("/account"));
        foreach (
            var shown in new[] { "198.51.100.1", "198.51.100.2", "Safari on iPhone", "Chrome on Linux", "3 browsers" }
        )
            Assert.Contains(shown, page, StringComparison.Ordinal);
        var phone = _wexil.Get<SessionStore>().Open().Single(session => session.Address == "198.51.100.2");
        await WexilFixture.PostAsync(owner, "/account", "End", ("id", phone.Id));
        Assert.Equal((true, false, true), (await IsInAsync(owner), await IsInAsync(second), await IsInAsync(third)));
        await WexilFixture.PostAsync(owner, "/account", "EndOthers");
        Assert.Equal((true, false), (await IsInAsync(owner), await IsInAsync(third)));
        // One's own and an invented one stay as they are.
        var own = Assert.Single(_wexil.Get<SessionStore>().Open());
        foreach (var id in new[] { own.Id, "no id", "" })
            await WexilFixture.PostAsync(owner, "/account", "End", ("id", id));
        Assert.True(await IsInAsync(owner));
    }

    [Theory]
    [InlineData("seven quiet balconie", "twelve loud balconies", "not your current password")]
    [InlineData("", "twelve loud balconies", "not your current password")]
    [InlineData(Password, "short pw", "At least 10 characters")]
    [InlineData(Password, "", "Choose a password")]
    [InlineData(Password, "Password123", "Too easy to guess")]
    [InlineData(Password, "1234567890", "Too easy to guess")]
    [InlineData(Password, "ababababababab", "Too easy to guess")]
    [InlineData(Password, "tomato kit", null)]
    public async Task A_password_is_changed_by_who_knows_it_to_one_that_is_hard_to_guess_and_signs_others_out(
        string current,
        string wanted,
        string? problem
    )
    {
        var (owner, _) = await SignInAsync("198.51.100.1");
        var (other, _) = await SignInAsync("198.51.100.2");
        using var answer = await WexilFixture.PostAsync(
            owner,
            "/account",
            "Password",
            ("Current", current),
            ("New", wanted)
        );
        if (problem is not null)
            Assert.Contains(problem, WexilFixture.Read(await answer.Content.ReadAsStringAsync()));
        Assert.Equal(problem is null, await _wexil.Get<Passwords>().VerifyAsync(_wexil.Get<TeamStore>().Owner, wanted));
        Assert.Equal((true, problem is not null), (await IsInAsync(owner), await IsInAsync(other)));
    }

    [Fact]
    public async Task A_session_ends_two_weeks_after_its_last_request_and_three_months_after_it_began()
    {
        var sessions = _wexil.Get<SessionStore>();
        var key = await sessions.BeginAsync(MemberId.First, "", "", isByLink: false);
        _wexil.Time.Advance(SessionStore.MaxIdle - TimeSpan.FromSeconds(1));
        await sessions.SeeAsync(sessions.Find(key)!);
        _wexil.Time.Advance(SessionStore.MaxIdle - TimeSpan.FromSeconds(1));
        Assert.NotNull(sessions.Find(key));
        _wexil.Time.Advance(TimeSpan.FromSeconds(1));
        Assert.Null(sessions.Find(key));

        var used = await sessions.BeginAsync(MemberId.First, "", "", isByLink: false);
        var until = _wexil.Time.GetUtcNow() + SessionStore.MaxLife;
        while (_wexil.Time.GetUtcNow() < until - TimeSpan.FromDays(1))
        {
            _wexil.Time.Advance(TimeSpan.FromHours(23));
            await sessions.SeeAsync(sessions.Find(used)!);
        }
        _wexil.Time.Advance(until - _wexil.Time.GetUtcNow() - TimeSpan.FromSeconds(1));
        Assert.NotNull(sessions.Find(used));
        _wexil.Time.Advance(TimeSpan.FromSeconds(1));
        Assert.Null(sessions.Find(used));
        // What is over is not kept.
        await sessions.BeginAsync(MemberId.First, "", "", isByLink: false);
        Assert.Single(sessions.Open());
    }

    [Fact]
    public async Task Signing_in_and_out_holds_while_nothing_can_be_written_and_is_written_down_after()
    {
        var sessions = _wexil.Get<SessionStore>();
        var before = await sessions.BeginAsync(MemberId.First, "before", "", isByLink: false);
        string during;
        using (var locks = new SqliteConnection($"Data Source={_wexil.Host.Options.Data}/wexil.db;Pooling=false"))
        {
            locks.Open();
            using var held = locks.BeginTransaction(deferred: false);
            during = await sessions.BeginAsync(MemberId.First, "during", "", isByLink: false);
            Assert.NotNull(sessions.Find(during));
            await sessions.EndAsync(sessions.Find(before)!.Id);
            Assert.Null(sessions.Find(before));
        }
        _wexil.Time.Advance(TimeSpan.FromMinutes(10));
        await sessions.SeeAsync(sessions.Find(during)!);
        await using var again = new SqliteConnection($"Data Source={_wexil.Host.Options.Data}/wexil.db;Pooling=false");
        again.Open();
        using var command = again.CreateCommand();
        command.CommandText = "SELECT group_concat(browser) FROM sessions";
        Assert.Equal("during", command.ExecuteScalar());
    }

    [Fact]
    public async Task Wrong_passwords_slow_their_own_address_down_and_nobody_else()
    {
        var (attacker, _) = Browser("203.0.113.9");
        for (var i = 0; i < SignInThrottle.Free; i++)
            Assert.Equal(HttpStatusCode.OK, (await TryAsync(attacker, $"guess number {i}")).StatusCode);
        using (var slowed = await TryAsync(attacker, Password))
        {
            Assert.Equal((HttpStatusCode)429, slowed.StatusCode);
            Assert.Equal(TimeSpan.FromSeconds(1), slowed.Headers.RetryAfter!.Delta);
            Assert.Contains("Try again in 1 second.", await slowed.Content.ReadAsStringAsync());
        }
        // The owner comes from elsewhere, in the midst of it.
        await SignInAsync("198.51.100.1");
        // Who knows the password gets in from there too, after the wait.
        _wexil.Time.Advance(TimeSpan.FromSeconds(1));
        Assert.Equal(HttpStatusCode.Redirect, (await TryAsync(attacker, Password)).StatusCode);
        // And begins anew with five tries.
        Assert.Equal(HttpStatusCode.OK, (await TryAsync(Browser("203.0.113.9").Client, "guess")).StatusCode);
    }

    [Fact]
    public async Task Of_many_guesses_at_the_same_moment_no_more_are_let_through_than_one_after_the_other()
    {
        var (attacker, _) = Browser("203.0.113.9");
        await attacker.GetAsync("/sign-in");
        var answers = await Task.WhenAll(Enumerable.Range(0, 40).Select(i => TryAsync(attacker, $"guess number {i}")));
        Assert.Equal(SignInThrottle.Free, answers.Count(answer => answer.StatusCode == HttpStatusCode.OK));
        Assert.All(answers, answer => Assert.Contains((int)answer.StatusCode, new[] { 200, 429 }));
        // The owner comes from elsewhere, in the midst of it.
        await SignInAsync("198.51.100.1");
    }

    [Fact]
    public void A_thousand_wrong_passwords_cost_a_minute_each_and_a_whole_network_of_IPv6_is_one_address()
    {
        var throttle = new SignInThrottle(_wexil.Time);
        var address = IPAddress.Parse("2001:db8:1:2::3");
        // Half of them are told to wait, and wait.
        for (var i = 0; i < 2_000; i++)
            _wexil.Time.Advance(throttle.Begin(new(address, "")));
        throttle.Begin(new(address, ""));
        Assert.Equal(SignInThrottle.MaxWait, throttle.Begin(new(address, "owner")));
        Assert.Equal(SignInThrottle.MaxWait, throttle.Begin(new(IPAddress.Parse("2001:db8:1:2:ffff::1"), "owner")));
        Assert.Equal(TimeSpan.Zero, throttle.Begin(new(IPAddress.Parse("2001:db8:1:3::3"), "owner")));
        _wexil.Time.Advance(SignInThrottle.MaxWait);
        Assert.Equal(TimeSpan.Zero, throttle.Begin(new(address, "owner")));
        // However many addresses take part, what is remembered of them is bounded, and the owner's is not among them.
        for (var i = 0; i < 100_000; i++)
            throttle.Begin(new(new IPAddress(i + 0x0A000000L), $"{i}"));
        Assert.Equal(TimeSpan.Zero, throttle.Begin(new(IPAddress.Parse("198.51.100.1"), "owner")));
    }

    [Fact]
    public async Task A_link_of_the_command_line_works_once_for_a_quarter_of_an_hour_and_opens_no_other_Wexil()
    {
        var (seal, now) = (_wexil.Get<ITicketSeal>(), _wexil.Time.GetUtcNow());
        var link = "/sign-in?key=" + SignInLinks.IssueTicket(seal, now);
        var (owner, _) = Browser("198.51.100.1");
        await owner.GetAsync(link);
        Assert.True(await IsInAsync(owner));
        // The password is lost, so it is not asked for.
        await WexilFixture.PostAsync(owner, "/account", "Password", ("New", "twelve loud balconies"));
        Assert.True(await _wexil.Get<Passwords>().VerifyAsync(_wexil.Get<TeamStore>().Owner, "twelve loud balconies"));

        var (again, _) = Browser("198.51.100.2");
        Assert.Contains("already used", await again.GetStringAsync(link), StringComparison.Ordinal);
        // Made before the program was started, it may have been used then.
        var before = SignInLinks.IssueTicket(seal, now.AddSeconds(-1));
        Assert.Contains("already used", await again.GetStringAsync("/sign-in?key=" + before));
        await using var other = new FreshWexil();
        await other.InitializeAsync();
        var foreign = SignInLinks.IssueTicket(other.Wexil.Get<ITicketSeal>(), now.AddSeconds(1));
        Assert.Contains("already used", await again.GetStringAsync("/sign-in?key=" + foreign));
        Assert.False(await IsInAsync(again));
    }

    [Theory]
    [InlineData(
        "Mozilla/5.0 (Windows NT 10.0; Win64; x64; rv:140.0) Gecko/20100101 Firefox/140.0",
        "Firefox on Windows"
    )]
    [InlineData(WexilFixture.Phone, "Safari on iPhone")]
    [InlineData(WexilFixture.Desktop, "Chrome on Linux")]
    [InlineData("curl/8.0", "Unknown browser")]
    [InlineData("", "Unknown browser")]
    public void A_browser_has_a_name_that_its_owner_knows(string agent, string name) =>
        Assert.Equal(name, BrowserName.Of(agent));

    private async Task<(HttpClient Client, CookieContainer Cookies)> SignInAsync(
        string address,
        string agent = WexilFixture.Desktop
    )
    {
        var browser = Browser(address, agent);
        Assert.Equal(HttpStatusCode.Redirect, (await TryAsync(browser.Client, Password)).StatusCode);
        return browser;
    }

    private static Task<HttpResponseMessage> TryAsync(HttpClient client, string password) =>
        WexilFixture.PostAsync(client, "/sign-in", "", ("Password", password));

    private static async Task<bool> IsInAsync(HttpClient client) =>
        (await client.GetAsync("/")).StatusCode == HttpStatusCode.OK;

    private (HttpClient Client, CookieContainer Cookies) Browser(string address, string agent = WexilFixture.Desktop)
    {
        var cookies = new CookieContainer();
        var client = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false, CookieContainer = cookies })
        {
            BaseAddress = _wexil.Studio,
        };
        client.DefaultRequestHeaders.UserAgent.ParseAdd(agent);
        client.DefaultRequestHeaders.Add("X-Forwarded-For", address);
        return (client, cookies);
    }
}
