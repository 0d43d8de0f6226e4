using System.Globalization;
using System.Security.Claims;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using Wexil.Store.Team;

namespace Wexil.Web.Studio.Account;

/// <summary>Signs browsers in and out. The cookie alone is not enough: its session has to be open.</summary>
public sealed class Sessions(SessionStore sessions, TeamStore team, KnownDevices devices)
{
    private const string KeyClaim = "session",
        MemberClaim = "member";

    /// <summary>Signs the browser in.</summary>
    /// <param name="isByLink">By a link from the command line, and not by the password.</param>
    public async Task BeginAsync(HttpContext http, MemberId member, bool isByLink)
    {
        var key = await sessions.BeginAsync(
            member,
            http.Request.Headers.UserAgent.ToString(),
            http.Connection.RemoteIpAddress?.ToString() ?? "",
            isByLink
        );
        devices.Mark(http, member);
        await http.SignInAsync(
            new ClaimsPrincipal(new ClaimsIdentity([new Claim(KeyClaim, key)], "cookie")),
            new AuthenticationProperties { IsPersistent = true }
        );
    }

    /// <summary>The browser's own session; null where it is not signed in.</summary>
    public Session? Of(HttpContext http) => Of(http.User);

    /// <summary>Who is signed in.</summary>
    /// <exception cref="InvalidOperationException">Nobody is.</exception>
    public Member MemberOf(HttpContext http) =>
        http.User.FindFirst(MemberClaim)?.Value is { } id
        && team.Find(new MemberId(long.Parse(id, CultureInfo.InvariantCulture))) is { } member
            ? member
            : throw new InvalidOperationException("Nobody is signed in.");

    /// <summary>Signs the browser out: a copy of its cookie opens nothing any more.</summary>
    public async Task EndAsync(HttpContext http)
    {
        if (Of(http) is { } own)
            await sessions.EndAsync(own.Id);
        await http.SignOutAsync();
    }

    /// <summary>Signs the member out everywhere else.</summary>
    public Task EndOthersAsync(HttpContext http)
    {
        var own = Of(http)?.Id;
        return sessions.EndAsync([
            .. sessions.Open(MemberOf(http).Id).Select(session => session.Id).Where(session => session != own),
        ]);
    }

    /// <summary>Signs a member out everywhere.</summary>
    public Task EndAllAsync(MemberId member) =>
        sessions.EndAsync([.. sessions.Open(member).Select(session => session.Id)]);

    /// <summary>
    /// Asked at every request with a cookie: who it is and what they may do is read anew, so that a change holds at
    /// once.
    /// </summary>
    public async Task ValidateAsync(CookieValidatePrincipalContext context)
    {
        if (Of(context.Principal) is { } session && team.Find(session.Member) is { } member)
        {
            await sessions.SeeAsync(session);
            context.ReplacePrincipal(PrincipalOf(context.Principal!, member));
            return;
        }
        context.RejectPrincipal();
        await context.HttpContext.SignOutAsync();
    }

    private static ClaimsPrincipal PrincipalOf(ClaimsPrincipal cookie, Member member) =>
        new(
            new ClaimsIdentity(
                [
                    .. cookie.FindAll(KeyClaim),
                    new(MemberClaim, member.Id.Value.ToString(CultureInfo.InvariantCulture)),
                    new(ClaimTypes.Name, member.Name),
                    // An owner may what a marketer may, and a marketer what a viewer may.
                    .. Enum.GetValues<Role>()
                        .Where(role => role <= member.Role)
                        .Select(role => new Claim(ClaimTypes.Role, role.ToString())),
                ],
                "cookie"
            )
        );

    private Session? Of(ClaimsPrincipal? who) => who?.FindFirst(KeyClaim)?.Value is { } key ? sessions.Find(key) : null;
}
