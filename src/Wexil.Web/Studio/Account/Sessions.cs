using System.Security.Claims;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Authentication.Cookies;
using Wexil.Store;

namespace Wexil.Web.Studio.Account;

/// <summary>Signs browsers in and out. The cookie alone is not enough: its session has to be open.</summary>
public sealed class Sessions(SessionStore sessions)
{
    private const string KeyClaim = "session";

    /// <summary>Signs the browser in.</summary>
    /// <param name="isByLink">By a link from the command line, and not by the password.</param>
    public async Task BeginAsync(HttpContext http, bool isByLink)
    {
        var key = await sessions.BeginAsync(
            http.Request.Headers.UserAgent.ToString(),
            http.Connection.RemoteIpAddress?.ToString() ?? "",
            isByLink
        );
        await http.SignInAsync(
            new ClaimsPrincipal(
                new ClaimsIdentity([new Claim(ClaimTypes.Name, "owner"), new Claim(KeyClaim, key)], "owner")
            ),
            new AuthenticationProperties { IsPersistent = true }
        );
    }

    /// <summary>The browser's own session; null where it is not signed in.</summary>
    public Session? Of(HttpContext http) => Of(http.User);

    /// <summary>Signs the browser out: a copy of its cookie opens nothing any more.</summary>
    public async Task EndAsync(HttpContext http)
    {
        if (Of(http) is { } own)
            await sessions.EndAsync(own.Id);
        await http.SignOutAsync();
    }

    /// <summary>Signs all others out.</summary>
    public Task EndOthersAsync(HttpContext http) =>
        sessions.EndAsync([.. sessions.Open().Select(session => session.Id).Where(session => session != Of(http)?.Id)]);

    /// <summary>Asked at every request with a cookie.</summary>
    public async Task ValidateAsync(CookieValidatePrincipalContext context)
    {
        if (Of(context.Principal) is { } session)
        {
            await sessions.SeeAsync(session);
            return;
        }
        context.RejectPrincipal();
        await context.HttpContext.SignOutAsync();
    }

    private Session? Of(ClaimsPrincipal? who) => who?.FindFirst(KeyClaim)?.Value is { } key ? sessions.Find(key) : null;
}
