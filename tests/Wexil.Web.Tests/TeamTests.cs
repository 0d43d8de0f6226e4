using System.Net;
using System.Reflection;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.Data.Sqlite;
using OtpNet;
using Wexil.Store;
using Wexil.Store.Team;
using Wexil.Web.Studio.Account;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Tests;

/// <summary>Several people in one Studio: invited, with roles, a second step, and a log of what they did.</summary>
[Trait("For", "security")]
public sealed partial class TeamTests : IAsyncLifetime
{
    private const string Password = "seven quiet balconies";

    private readonly WexilFixture _wexil = new()
    {
        Adjust = options => options with { TrustedProxies = [IPAddress.Loopback, IPAddress.IPv6Loopback] },
    };

    private HttpClient _owner = null!;

    private TeamStore Team => _wexil.Get<TeamStore>();

    public async Task InitializeAsync()
    {
        await _wexil.InitializeAsync();
        await _wexil.Get<Passwords>().SetAsync(Team.Owner.Id, Password);
        _owner = await _wexil.OwnerAsync();
    }

    public Task DisposeAsync() => _wexil.DisposeAsync();

    [Fact]
    public async Task Somebody_joins_by_a_link_that_works_once_and_does_what_the_role_allows()
    {
        var link = await InviteAsync("Marketer", "Mira");
        var mira = Browser();
        var join = WexilFixture.Read(await mira.GetStringAsync(link));
        Assert.Contains("You are invited as a marketer", join);
        Assert.Contains("value=\"Mira\"", join);
        using (var joined = await JoinAsync(mira, link, "Mira"))
            Assert.Equal(HttpStatusCode.Redirect, joined.StatusCode);
        using (
            var made = await WexilFixture.PostAsync(
                mira,
                "/funnels/new",
                "",
                ("Name", "Herb Club"),
                ("Starter", "empty")
            )
        )
            Assert.Equal(HttpStatusCode.Redirect, made.StatusCode);
        foreach (var address in (string[])["/settings", "/settings/rates", "/team", "/team/log"])
            Assert.Equal((address, HttpStatusCode.Forbidden), (address, (await mira.GetAsync(address)).StatusCode));
        Assert.DoesNotContain("href=\"/settings\"", await mira.GetStringAsync("/"));
        using (var again = await JoinAsync(Browser(), link, "Nobody"))
            Assert.Contains("This invitation is over", await again.Content.ReadAsStringAsync());
        // From now on the name is asked for; the owner may leave it empty.
        Assert.Equal(HttpStatusCode.Redirect, (await SignInAsync(Browser(), "mira")).StatusCode);
        Assert.Equal(HttpStatusCode.Redirect, (await SignInAsync(Browser(), "", Password)).StatusCode);
        foreach (
            var (name, password) in new[] { ("mira", Password), ("nobody", Password), ("", "twelve loud balconies") }
        )
            Assert.Contains(
                "Wrong name or password.",
                await (await SignInAsync(Browser(), name, password)).Content.ReadAsStringAsync()
            );
    }

    [Fact]
    public async Task An_invitation_ends_when_it_is_withdrawn_and_after_a_week()
    {
        var withdrawn = await InviteAsync("Viewer", "");
        var id = _wexil.Get<InvitationStore>().Open().Single().Id;
        await WexilFixture.PostAsync(_owner, "/team", "Withdraw", ("id", id));
        var late = await InviteAsync("Viewer", "");
        _wexil.Time.Advance(InvitationStore.Life - TimeSpan.FromSeconds(1));
        Assert.Contains("Join Wexil", await Browser().GetStringAsync(late));
        _wexil.Time.Advance(TimeSpan.FromSeconds(1));
        foreach (var link in (string[])[withdrawn, late, "/join?key=guess", "/join"])
        {
            Assert.Contains("This invitation is over", await Browser().GetStringAsync(link));
            using var joined = await JoinAsync(Browser(), link, "Tomas");
            Assert.Equal(HttpStatusCode.OK, joined.StatusCode);
        }
        Assert.Single(Team.All);
    }

    [Theory]
    [InlineData("", "twelve loud balconies", "Name")]
    [InlineData("OWNER", "twelve loud balconies", "Name")]
    [InlineData("Mira", "password123", "Password")]
    [InlineData("Mira", "", "Password")]
    public async Task What_is_wrong_with_joining_is_said_by_its_field_and_the_link_stays_good(
        string name,
        string password,
        string field
    )
    {
        var link = await InviteAsync("Marketer", "");
        using (var refused = await JoinAsync(Browser(), link, name, password))
            Assert.Equal([field], await Refusals.OfAsync(refused));
        using var joined = await JoinAsync(Browser(), link, "Mira");
        Assert.Equal(HttpStatusCode.Redirect, joined.StatusCode);
    }

    [Fact]
    public async Task A_viewer_sees_everything_and_changes_nothing()
    {
        var tested = await _wexil.StartTestAsync("viewed");
        var viewer = await MemberAsync("Viewer", "Tomas");
        var step = $"/f/{tested.Funnel.Slug}/{tested.Step.Slug}";
        foreach (var screen in (string[])["/", "/funnels", $"{step}/build", $"{step}/send", $"{step}/count", "/people"])
        {
            var page = await viewer.GetStringAsync(screen);
            Assert.Contains("You are a viewer", page);
            // Every form that would change something is switched off; signing out is not.
            Assert.Equal(
                PostForm().Count(page),
                Regex.Count(page, "<fieldset class=\"bare\" disabled>") + Regex.Count(page, "class=\"out\"")
            );
        }
        using (var edits = await viewer.GetAsync($"{step}/build/{tested.A.Slug}"))
            Assert.EndsWith("/preview", edits.Headers.Location!.OriginalString);
        var before = await _owner.GetStringAsync($"{step}/keep");
        foreach (
            var (screen, handler) in new[]
            {
                ("/funnels/new", ""),
                ($"{step}/send", "Pause"),
                ($"{step}/keep", "Keep"),
                ($"{step}/build/{tested.A.Slug}", "Edit"),
                ($"{step}/build", "Archive"),
                ($"/f/{tested.Funnel.Slug}/steps", "Rename"),
                ("/sales", "Add"),
                ("/outbox", "Empty"),
            }
        )
        {
            using var refused = await WexilFixture.PostAsync(
                viewer,
                "/account",
                screen,
                handler,
                ("Name", "changed"),
                ("funnelName", "changed"),
                ("id", tested.A.Id.Value.ToString(System.Globalization.CultureInfo.InvariantCulture))
            );
            Assert.Equal((screen, HttpStatusCode.Forbidden), (screen, refused.StatusCode));
            Assert.Contains("Not in your role", await refused.Content.ReadAsStringAsync());
        }
        Assert.DoesNotContain("changed", await _owner.GetStringAsync("/funnels"));
        Assert.Equal(Token().Replace(before, ""), Token().Replace(await _owner.GetStringAsync($"{step}/keep"), ""));
        // What concerns nobody else is theirs.
        using var renamed = await WexilFixture.PostAsync(viewer, "/account", "Name", ("Name", "Tom"));
        Assert.Equal(HttpStatusCode.Redirect, renamed.StatusCode);
        await WexilFixture.PostAsync(viewer, "/account", "/sign-in", "Out");
        Assert.Equal(HttpStatusCode.Redirect, (await viewer.GetAsync("/")).StatusCode);
    }

    [Fact]
    public async Task A_change_of_role_and_a_removal_hold_from_the_next_request_and_there_is_always_an_owner()
    {
        var mira = await MemberAsync("Marketer", "Mira");
        var id = $"{Team.Find("Mira")!.Id.Value}";
        await WexilFixture.PostAsync(_owner, "/team", "Role", ("id", id), ("to", "Owner"));
        Assert.Equal(HttpStatusCode.OK, (await mira.GetAsync("/settings")).StatusCode);
        await WexilFixture.PostAsync(_owner, "/team", "Role", ("id", id), ("to", "Viewer"));
        Assert.Equal(HttpStatusCode.Forbidden, (await mira.GetAsync("/settings")).StatusCode);
        await WexilFixture.PostAsync(_owner, "/team", "End", ("id", id));
        Assert.Equal(HttpStatusCode.Redirect, (await mira.GetAsync("/")).StatusCode);
        await SignInAsync(mira, "Mira");
        Assert.Equal(HttpStatusCode.OK, (await mira.GetAsync("/")).StatusCode);
        await WexilFixture.PostAsync(_owner, "/team", "Remove", ("id", id));
        Assert.Equal(HttpStatusCode.Redirect, (await mira.GetAsync("/")).StatusCode);
        Assert.Contains("Wrong password.", await (await SignInAsync(mira, "Mira")).Content.ReadAsStringAsync());
        foreach (var (handler, to) in new[] { ("Role", "Viewer"), ("Remove", "") })
        {
            await WexilFixture.PostAsync(_owner, "/team", handler, ("id", "1"), ("to", to));
            Assert.Contains("There has to be an owner", await _owner.GetStringAsync("/team"));
        }
        Assert.Equal(Role.Owner, Assert.Single(Team.All).Role);
    }

    [Fact]
    public async Task A_second_step_asks_for_a_code_that_works_once_and_takes_a_recovery_code_instead()
    {
        var mira = await MemberAsync("Marketer", "Mira");
        var elsewhere = Browser();
        await SignInAsync(elsewhere, "Mira");
        var (secret, codes) = await TurnOnAsync(mira);
        Assert.Equal(10, codes.Length);
        // Whoever was signed in by the password alone is not any more.
        Assert.Equal(HttpStatusCode.Redirect, (await elsewhere.GetAsync("/")).StatusCode);
        Assert.DoesNotContain(secret, Team.Find("Mira")!.CodeSecret!);

        _wexil.Time.Advance(TimeSpan.FromSeconds(30));
        var code = CodeNow(secret);
        Assert.False(await EntersAsync(Browser(), "000000"));
        Assert.True(await EntersAsync(Browser(), $"{code[..3]} {code[3..]}"));
        Assert.False(await EntersAsync(Browser(), code));
        // Half a minute late is on time, two minutes are not.
        _wexil.Time.Advance(TimeSpan.FromSeconds(60));
        code = CodeNow(secret);
        _wexil.Time.Advance(TimeSpan.FromSeconds(120));
        Assert.False(await EntersAsync(Browser(), code));
        Assert.True(await EntersAsync(Browser(), codes[3].ToUpperInvariant()));
        Assert.False(await EntersAsync(Browser(), codes[3]));
        Assert.Equal(9, Team.Find("Mira")!.RecoveryCodes);

        // The telephone is lost: the owner turns it off.
        await WexilFixture.PostAsync(_owner, "/team", "SecondStep", ("id", $"{Team.Find("Mira")!.Id.Value}"));
        var plain = Browser();
        await SignInAsync(plain, "Mira");
        Assert.Equal(HttpStatusCode.OK, (await plain.GetAsync("/")).StatusCode);
    }

    [Fact]
    public async Task Codes_cannot_be_guessed_and_a_ticket_for_the_second_step_opens_nothing_by_itself()
    {
        var mira = await MemberAsync("Marketer", "Mira");
        await TurnOnAsync(mira);
        var thief = Browser("203.0.113.9");
        using (var first = await SignInAsync(thief, "Mira"))
            Assert.StartsWith("/sign-in/code?ticket=", first.Headers.Location!.OriginalString);
        Assert.Equal(HttpStatusCode.Redirect, (await thief.GetAsync("/")).StatusCode);
        var page = (await SignInAsync(thief, "Mira")).Headers.Location!.OriginalString;
        for (var i = 0; i < SignInThrottle.Free; i++)
            Assert.Equal(HttpStatusCode.OK, (await CodeAsync(thief, page, $"00000{i}")).StatusCode);
        Assert.Equal(HttpStatusCode.TooManyRequests, (await CodeAsync(thief, page, "000009")).StatusCode);
        Assert.Equal("/sign-in", (await thief.GetAsync("/sign-in/code?ticket=guess")).Headers.Location!.OriginalString);
    }

    [Fact]
    public async Task Turned_on_with_two_clicks_it_shows_codes_that_work_and_no_other_form_gets_any()
    {
        var mira = await MemberAsync("Marketer", "Mira");
        var page = await mira.GetStringAsync(TwoStep);
        var (secret, offer) = (Secret().Match(page).Groups[1].Value, Offer().Match(page).Groups[1].Value);
        var another = Offer().Match(await mira.GetStringAsync(TwoStep)).Groups[1].Value;
        var code = CodeNow(secret.Replace(" ", "", StringComparison.Ordinal));
        using (
            await WexilFixture.PostAsync(
                mira,
                TwoStep,
                "On",
                ("Offer", offer),
                ("Code", code),
                ("Current", MembersPassword)
            )
        ) { }
        using var second = await WexilFixture.PostAsync(
            mira,
            TwoStep,
            "On",
            ("Offer", offer),
            ("Code", code),
            ("Current", MembersPassword)
        );
        var codes = Codes().Match(WebUtility.HtmlDecode(await second.Content.ReadAsStringAsync())).Groups[1].Value;
        Assert.True(await EntersAsync(Browser(), codes.Split('\n')[0]));
        using var other = await WexilFixture.PostAsync(
            mira,
            TwoStep,
            "On",
            ("Offer", another),
            ("Code", code),
            ("Current", MembersPassword)
        );
        Assert.Equal(HttpStatusCode.Redirect, other.StatusCode);
    }

    [Theory]
    [InlineData("Off", false)]
    [InlineData("Codes", true)]
    public async Task The_second_step_is_changed_only_by_who_knows_the_password(string handler, bool isStillOn)
    {
        var mira = await MemberAsync("Marketer", "Mira");
        var (_, codes) = await TurnOnAsync(mira);
        using (var refused = await WexilFixture.PostAsync(mira, TwoStep, handler, ("Current", "a guess")))
            Assert.Equal(["Current"], await Refusals.OfAsync(refused));
        Assert.True(Team.Find("Mira")!.HasSecondStep);
        Assert.True(await EntersAsync(Browser(), codes[0]));
        await WexilFixture.PostAsync(mira, TwoStep, handler, ("Current", MembersPassword));
        Assert.Equal(isStillOn, Team.Find("Mira")!.HasSecondStep);
        if (isStillOn)
            Assert.False(await EntersAsync(Browser(), codes[1]));
    }

    [Fact]
    public async Task A_flood_of_guesses_from_everywhere_slows_strangers_and_not_a_browser_that_was_here_before()
    {
        var known = Browser("198.51.100.1");
        await SignInAsync(known, "", Password);
        await WexilFixture.PostAsync(known, "/", "/sign-in", "Out");
        var (throttle, owner) = (_wexil.Get<SignInThrottle>(), $"password {Team.Owner.Id.Value}");
        for (var i = 0; i < SignInThrottle.FreeForAccount - 1; i++)
            throttle.Begin(new(new IPAddress(i + 0x0A000000L), owner));
        Assert.Equal(HttpStatusCode.Redirect, (await SignInAsync(Browser("192.0.2.7"), "", Password)).StatusCode);
        throttle.Begin(new(IPAddress.Parse("192.0.2.8"), owner));
        Assert.Equal(
            HttpStatusCode.TooManyRequests,
            (await SignInAsync(Browser("192.0.2.9"), "", Password)).StatusCode
        );
        Assert.Equal(HttpStatusCode.Redirect, (await SignInAsync(known, "", Password)).StatusCode);
        // What few addresses can try in time is forgotten as fast.
        _wexil.Time.Advance(TimeSpan.FromSeconds(9));
        Assert.Equal(HttpStatusCode.Redirect, (await SignInAsync(Browser("192.0.2.10"), "", Password)).StatusCode);
    }

    [Fact]
    public async Task The_log_says_who_did_what_to_what_and_from_where_and_nothing_that_was_not_done()
    {
        var tested = await _wexil.StartTestAsync("logged");
        var mira = await MemberAsync("Marketer", "Mira", "203.0.113.7");
        var step = $"/f/{tested.Funnel.Slug}/{tested.Step.Slug}";
        await WexilFixture.PostAsync(mira, $"{step}/send", "Pause");
        await WexilFixture.PostAsync(mira, $"/f/{tested.Funnel.Slug}/steps", "Rename", ("funnelName", "Herb Club"));
        // Refused, asked once more, or as it was before: not done.
        await WexilFixture.PostAsync(mira, $"/f/{tested.Funnel.Slug}/steps", "Rename", ("funnelName", ""));
        await WexilFixture.PostAsync(mira, $"{step}/keep", "Keep", ("Kept", $"{tested.A.Id.Value}"));
        await WexilFixture.PostAsync(mira, $"{step}/build/{tested.A.Slug}", "Publish");
        var entries = _wexil.Get<AuditLog>().Find(["mira"], long.MaxValue, 10);
        Assert.Equal(
            [
                ("Mira", "Renamed a funnel", "to Herb Club · logged", "203.0.113.7"),
                ("Mira", "Paused a test", "logged · logged", "203.0.113.7"),
                ("Mira", "Joined as a marketer", "Chrome on Linux", "203.0.113.7"),
            ],
            entries
                .Where(entry => entry.Who == "Mira")
                .Select(entry => (entry.Who, entry.Deed, entry.Subject, entry.Address))
        );
        Assert.Equal($"{step}/send", entries.Single(entry => entry.Deed == "Paused a test").Link);

        var screen = WexilFixture.Read(await _owner.GetStringAsync("/team/log?q=paused+203.0.113"));
        Assert.Contains("Paused a test", screen);
        Assert.DoesNotContain("Renamed a funnel", screen);
        Assert.Contains("Nothing fits.", await _owner.GetStringAsync("/team/log?q=nothing-like-it"));
        var csv = await _owner.GetStringAsync("/team/log?handler=Csv&q=mira");
        Assert.Contains("Mira,Paused a test,logged · logged,", csv);
    }

    [Fact]
    public async Task The_log_is_shown_a_hundred_at_a_time_and_exported_whole()
    {
        var log = _wexil.Get<AuditLog>();
        for (var i = 1; i <= 101; i++)
            await log.AddAsync(new(_wexil.Time.GetUtcNow(), "Mira", $"Deed {i}.", "=1+1", "", ""));
        var newest = await _owner.GetStringAsync("/team/log?q=Mira");
        Assert.Contains("Deed 101.", newest);
        Assert.Contains("Deed 2.", newest);
        Assert.DoesNotContain("Deed 1.", newest);
        var earlier = await _owner.GetStringAsync(Earlier().Match(newest).Groups[1].Value.Replace("&amp;", "&"));
        Assert.Contains("Deed 1.", earlier);
        Assert.DoesNotContain("Deed 2.", earlier);
        var csv = await _owner.GetStringAsync("/team/log?handler=Csv");
        Assert.Equal(101, Regex.Count(csv, "Deed \\d+\\.,'=1\\+1"));
    }

    [Theory]
    [InlineData("UPDATE audit_log SET who = 'nobody'")]
    [InlineData("DELETE FROM audit_log")]
    public async Task The_data_file_refuses_to_change_what_is_in_the_log(string statement)
    {
        await _wexil.Get<AuditLog>().AddAsync(new(_wexil.Time.GetUtcNow(), "Mira", "Paused a test", "", "", ""));
        await using var file = new SqliteConnection($"Data Source={_wexil.Host.Options.Data}/wexil.db;Pooling=false");
        file.Open();
        await using var command = file.CreateCommand();
        command.CommandText = statement;
        Assert.Contains("only added to", Assert.Throws<SqliteException>(() => command.ExecuteNonQuery()).Message);
    }

    [Fact]
    public void Every_handler_of_a_post_says_what_it_does_for_the_log()
    {
        var handlers = typeof(SignInModel)
            .Assembly.GetTypes()
            .Where(type => type.IsSubclassOf(typeof(PageModel)))
            .SelectMany(type => type.GetMethods(BindingFlags.Public | BindingFlags.Instance))
            .Where(method => method.Name.StartsWith("OnPost", StringComparison.Ordinal))
            .ToArray();
        Assert.True(handlers.Length > 100);
        Assert.Empty(
            handlers
                .Where(method => method.GetCustomAttribute<LoggedAttribute>() is null)
                .Select(method => $"{method.DeclaringType!.Name}.{method.Name}")
        );
    }

    private const string MembersPassword = "twelve loud balconies",
        TwoStep = "/account/two-step";

    private async Task<string> InviteAsync(string role, string name)
    {
        using var made = await WexilFixture.PostAsync(_owner, "/team", "Invite", ("Role", role), ("MeantFor", name));
        var link = Link().Match(await made.Content.ReadAsStringAsync()).Groups[1].Value;
        return new Uri(link).PathAndQuery;
    }

    private async Task<HttpClient> MemberAsync(string role, string name, string address = "198.51.100.20")
    {
        var browser = Browser(address);
        await JoinAsync(browser, await InviteAsync(role, name), name);
        return browser;
    }

    private static Task<HttpResponseMessage> JoinAsync(
        HttpClient browser,
        string link,
        string name,
        string password = MembersPassword
    ) => WexilFixture.PostAsync(browser, "/sign-in", link, "", ("Name", name), ("Password", password));

    private static Task<HttpResponseMessage> SignInAsync(
        HttpClient browser,
        string name,
        string password = MembersPassword
    ) => WexilFixture.PostAsync(browser, "/sign-in", "", ("Name", name), ("Password", password));

    private async Task<(string Secret, string[] Codes)> TurnOnAsync(HttpClient member)
    {
        var page = await member.GetStringAsync(TwoStep);
        var secret = Secret().Match(page).Groups[1].Value.Replace(" ", "", StringComparison.Ordinal);
        var offer = Offer().Match(page).Groups[1].Value;
        (string, string) password = ("Current", MembersPassword);
        using (var guessed = await PostOnAsync(CodeNow(secret), ("Current", "a guess")))
            Assert.Contains("not your current password", await guessed.Content.ReadAsStringAsync());
        using (var wrong = await PostOnAsync("000000", password))
            // The same key is offered again.
            Assert.Contains(secret[..4], Secret().Match(await wrong.Content.ReadAsStringAsync()).Groups[1].Value);
        using var on = await PostOnAsync(CodeNow(secret), password);
        var codes = Codes().Match(WebUtility.HtmlDecode(await on.Content.ReadAsStringAsync())).Groups[1].Value;
        return (secret, codes.Split('\n', StringSplitOptions.TrimEntries));

        Task<HttpResponseMessage> PostOnAsync(string code, (string, string) current) =>
            WexilFixture.PostAsync(member, TwoStep, "On", ("Offer", offer), ("Code", code), current);
    }

    private string CodeNow(string secret) =>
        new Totp(Base32Encoding.ToBytes(secret)).ComputeTotp(_wexil.Time.GetUtcNow().UtcDateTime);

    /// <summary>Signs in by name and password, and then by the code.</summary>
    private static async Task<bool> EntersAsync(HttpClient browser, string code)
    {
        using var first = await SignInAsync(browser, "Mira");
        await CodeAsync(browser, first.Headers.Location!.OriginalString, code);
        return (await browser.GetAsync("/")).StatusCode == HttpStatusCode.OK;
    }

    private static Task<HttpResponseMessage> CodeAsync(HttpClient browser, string page, string code) =>
        WexilFixture.PostAsync(browser, "/sign-in", page, "", ("Code", code));

    private HttpClient Browser(string address = "198.51.100.10")
    {
        var client = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false, CookieContainer = new() })
        {
            BaseAddress = _wexil.Studio,
        };
        client.DefaultRequestHeaders.UserAgent.ParseAdd(WexilFixture.Desktop);
        client.DefaultRequestHeaders.Add("X-Forwarded-For", address);
        return client;
    }

    [GeneratedRegex("""<code id="invitation">([^<]+)</code>""")]
    private static partial Regex Link();

    [GeneratedRegex("""<form[^>]+method="post""")]
    private static partial Regex PostForm();

    [GeneratedRegex("""name="__RequestVerificationToken"[^>]+>""")]
    private static partial Regex Token();

    [GeneratedRegex("""id="secret">([^<]+)</code>""")]
    private static partial Regex Secret();

    [GeneratedRegex("""name="Offer" value="([^"]+)""")]
    private static partial Regex Offer();

    [GeneratedRegex("""<pre class="codes">([^<]+)</pre>""")]
    private static partial Regex Codes();

    [GeneratedRegex("""href="([^"]+)">Earlier""")]
    private static partial Regex Earlier();
}
