using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Time.Testing;
using OtpNet;
using Wexil.Store.Team;
using Wexil.Web.Studio.Account;

namespace Wexil.Browser.Tests;

/// <summary>Two people in one Studio, as they do it.</summary>
public sealed class TeamTests
{
    private const string Password = "seven quiet balconies";

    [Fact]
    public async Task From_an_invitation_over_two_step_sign_in_to_signing_out_everywhere()
    {
        await using var site = await Site.StartAsync();
        var time = (FakeTimeProvider)site.Host.Services.GetRequiredService<TimeProvider>();
        await site.Host.Services.GetRequiredService<Passwords>().SetAsync(MemberId.First, "tomatoes in pots");
        using var owner = new Browser();
        site.SignIn(owner);

        // The owner invites.
        owner.Open(site.Studio, "/settings");
        owner.Press("team");
        owner.Fill("#MeantFor", "Mira");
        owner.Press("Make a link");
        owner.WaitForText("Send this link to whom you invite.");
        owner.IsAccessible();
        var link = owner.Find("#invitation").Text;

        // Mira joins; a password that everybody has is refused, and her name stays typed.
        using var desk = new Browser();
        desk.Open(new Uri(link));
        Assert.Equal("Mira", desk.Find("#Name").GetAttribute("value"));
        desk.Fill("#Name", "Mira Halloran");
        desk.Fill("#Password", "password123");
        desk.Press("Join");
        desk.WaitForText("Too easy to guess.");
        desk.IsAccessible();
        Assert.Equal("Mira Halloran", desk.Find("#Name").GetAttribute("value"));
        desk.Fill("#Password", Password);
        desk.Press("Join");
        desk.WaitForText("Today");
        Assert.DoesNotContain("Settings", desk.Find("nav[aria-label=Main]").Text);

        // She turns the second step on.
        desk.Press("Mira Halloran");
        desk.Press("Turn on");
        desk.WaitForText("Scan this with an app");
        var secret = desk.Find("#secret").Text.Replace(" ", "", StringComparison.Ordinal);
        string Code() => new Totp(Base32Encoding.ToBytes(secret)).ComputeTotp(time.GetUtcNow().UtcDateTime);
        desk.Fill("#Code", "123");
        desk.Fill("#Current", Password);
        desk.Press("Turn on");
        desk.WaitForText("This code is wrong.");
        desk.Fill("#Code", Code());
        // A password is never shown again.
        desk.Fill("#Current", Password);
        desk.Press("Turn on");
        desk.WaitForText("Keep these codes");
        desk.IsAccessible();
        var recovery = desk.Find(".codes").Text.Split('\n')[0].Trim();
        desk.Press("I have kept them");

        // From a phone the password alone is not enough.
        time.Advance(TimeSpan.FromMinutes(1));
        using var phone = new Browser(390, 844);
        SignIn(phone, site);
        phone.WaitForText("Enter your code");
        phone.IsAccessible();
        phone.Fill("#Code", Code());
        phone.Press("Sign in");
        phone.WaitForText("Your first test");

        // The phone is lost: she signs in by a recovery code and signs out everywhere else.
        desk.Press("Sign out");
        desk.WaitForText("Your password");
        SignIn(desk, site);
        desk.WaitForText("Enter your code");
        desk.Fill("#Code", recovery);
        desk.Press("Sign in");
        desk.WaitForText("Today");
        desk.Press("Mira Halloran");
        desk.WaitForText("2 browsers");
        desk.WaitForText("9 recovery codes left");
        desk.Press("Sign out all other browsers");
        desk.WaitForText("All other browsers are signed out.");
        phone.Open(site.Studio, "/");
        phone.WaitForText("Your password");

        // The owner sees it all in the log, and lets her go.
        owner.Open(site.Studio, "/team/log");
        owner.WaitForText("Signed their other browsers out");
        owner.WaitForText("Turned two-step sign-in on");
        owner.Press("Settings");
        owner.Press("team");
        owner.WaitForText("joined");
        owner.Find("main details.menu summary").Click();
        owner.Find("main details.menu form button").Click();
        owner.WaitForText("Mira Halloran cannot sign in any more.");
        desk.Open(site.Studio, "/");
        desk.WaitForText("Your password");
    }

    private static void SignIn(Browser browser, Site site)
    {
        browser.Open(site.Studio, "/sign-in");
        browser.Fill("#Name", "mira halloran");
        browser.Fill("#Password", Password);
        browser.Press("Sign in");
    }
}
