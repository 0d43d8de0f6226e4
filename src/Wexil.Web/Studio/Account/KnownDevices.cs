using System.Globalization;
using System.Security.Cryptography;
using Wexil.App;
using Wexil.App.Tickets;
using Wexil.Store.Team;

namespace Wexil.Web.Studio.Account;

/// <summary>
/// Marks browsers from which somebody has signed in. The mark opens nothing: strangers who guess passwords do not slow
/// such a browser down, and it knows whose name to offer.
/// </summary>
public sealed class KnownDevices(ITicketSeal seal, StudioAddress studio)
{
    private const string Purpose = "known device";
    private static readonly TimeSpan Life = TimeSpan.FromDays(400);

    private bool IsSecure => studio.Address.Scheme == Uri.UriSchemeHttps;

    private string Name => IsSecure ? "__Host-wexil-device" : "wexil-device";

    /// <summary>Marks the browser as one of a member's.</summary>
    public void Mark(HttpContext http, MemberId member) =>
        http.Response.Cookies.Append(
            Name,
            seal.Seal(Purpose, $"{member.Value} {Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(8))}", Life),
            new()
            {
                HttpOnly = true,
                SameSite = SameSiteMode.Strict,
                Secure = IsSecure,
                MaxAge = Life,
                Path = "/",
            }
        );

    /// <summary>Who signed in from the browser last; null for nobody.</summary>
    public MemberId? Of(HttpContext http) =>
        Read(http)?.Split(' ') is [var member, _] ? new(long.Parse(member, CultureInfo.InvariantCulture)) : null;

    /// <summary>What tells the browser from a member's others; null where they never signed in from it.</summary>
    public string? KeyFor(HttpContext http, MemberId? member) =>
        member is not null && Of(http) == member ? Read(http) : null;

    private string? Read(HttpContext http) => http.Request.Cookies[Name] is { } mark ? seal.Open(Purpose, mark) : null;
}
