using Microsoft.Extensions.Primitives;
using Wexil.Core.Assignments;
using Wexil.Core.Visitors;

namespace Wexil.Web.Visitors.Callers;

/// <summary>Who asks.</summary>
/// <param name="LeftOut">Why nothing of it counts; null for a visitor.</param>
/// <param name="IsTrying">The owner tries the link as somebody else: not even noted as left out.</param>
public readonly record struct RequestClassification(Device Device, NotCountedReason? LeftOut, bool IsTrying)
{
    public bool Counts => LeftOut is null && !IsTrying;

    /// <summary>Marks a device as the owner's.</summary>
    public const string OwnDeviceCookie = "wx_mine";

    /// <summary>How long the owner is counted, or tries a link, before it has to be said again.</summary>
    public static readonly TimeSpan Sitting = TimeSpan.FromMinutes(30);

    /// <summary>Counts the owner all the same, for half an hour.</summary>
    public const string CountMeCookie = "wx_count";

    /// <summary>Sent an opt-in that looks like a program's, for ten minutes.</summary>
    public const string HeldCookie = "wx_held";

    /// <summary>The owner is trying the link, for half an hour.</summary>
    public const string TryCookie = "wx_try";

    public static RequestClassification From(HttpContext http, RouteTable routes)
    {
        var request = http.Request;
        var agent = Agents.Classify(request.Headers.UserAgent);
        if (request.Cookie(TryCookie) is not null)
            return new(agent.Device, null, IsTrying: true);
        NotCountedReason? left =
            HttpMethods.IsHead(request.Method) ? NotCountedReason.Check
            : IsAhead(request.Headers) ? NotCountedReason.Prefetch
            : agent.IsRobot || request.Cookie(HeldCookie) is not null ? NotCountedReason.Robot
            : request.Cookie(OwnDeviceCookie) is not null && request.Cookie(CountMeCookie) is null
                ? NotCountedReason.Own
            : AsksForPrivacy(request, routes) ? NotCountedReason.Private
            : null;
        return new(agent.Device, left, IsTrying: false);
    }

    /// <summary>The browser sends Global Privacy Control, and the owner heeds it.</summary>
    public static bool AsksForPrivacy(HttpRequest request, RouteTable routes) =>
        routes.HeedsPrivacyControl && request.Headers["Sec-GPC"] == "1";

    /// <summary>Fetched before anybody asked to see it.</summary>
    private static bool IsAhead(IHeaderDictionary headers) =>
        Says(headers["Sec-Purpose"])
        || Says(headers["Purpose"])
        || Says(headers["X-Moz"])
        || Says(headers["X-Purpose"]);

    private static bool Says(StringValues header) =>
        header.Count > 0
        && header.ToString() is var text
        && (
            text.Contains("prefetch", StringComparison.OrdinalIgnoreCase)
            || text.Contains("preview", StringComparison.OrdinalIgnoreCase)
        );
}

/// <summary>Where a request comes from, by what a trusted proxy says or else by its address.</summary>
/// <param name="countryHeader">The header in which such a proxy says the country; null for none.</param>
public sealed class CountryResolver(string? countryHeader)
{
    public string CountryOf(HttpContext http) =>
        countryHeader is not null
        && http.Request.Headers[countryHeader] is [{ Length: 2 } told]
        && Names.IsCountry(told)
            ? told.ToUpperInvariant()
            : Countries.CountryOf(http.Connection.RemoteIpAddress);
}
