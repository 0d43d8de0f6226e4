using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Targeting;
using Wexil.Core.Visitors;

namespace Wexil.Web.Visitors.Callers;

/// <summary>Reads who comes, by which source, and what is known of the browser.</summary>
public sealed class Arrivals(CountryResolver origins, CrowdNumbers crowds)
{
    /// <summary>Keeps the affiliate who sent a visitor, so that the buy link can name them.</summary>
    public const string AffiliateCookie = "wx_aff";
    private const int AffiliateDays = 60,
        MaxAffiliateLength = 64;

    /// <summary>The traits of a request, and who follows the link.</summary>
    /// <param name="query">The query that the visitor came with: the request's own, or that of the page which
    /// asks.</param>
    public Visit Read(
        HttpContext http,
        RouteTable routes,
        RouteStep step,
        VisitorId visitor,
        bool known,
        Device device,
        string query,
        DateTimeOffset now
    )
    {
        var (source, affiliate) = Sender(query, routes.AffiliateParameter);
        var traits = new Traits(
            device,
            origins.CountryOf(http),
            AgentRules.LanguageOf(http.Request.Headers.AcceptLanguage),
            known && now - visitor.FirstSeen > Traits.FirstSitting,
            source,
            affiliate is not null
                || Clean(http.Request.Cookie(AffiliateCookie)) is not null
                || step.Affiliates.Contains(source)
        )
        {
            Crowd = crowds.Of(http),
        };
        if (source.Length > 0 && step.Networks.TryGetValue(source, out var network))
            traits = traits with
            {
                Click = AdClick.Read(query, network.ClickParameter, network.CostParameter, network.MostAClick),
            };
        return new(visitor, now, traits, query);
    }

    /// <summary>The visitor came from another page on this host.</summary>
    public static bool IsInside(HttpContext http) => http.Request.Headers["Sec-Fetch-Site"] == "same-origin";

    /// <summary>Remembers the affiliate that the address names.</summary>
    public static void Remember(HttpContext http, RouteTable routes)
    {
        if (Clean(AddressQuery.Value(http.Request.QueryString.Value ?? "", routes.AffiliateParameter)) is not { } id)
            return;
        http.Response.Give(AffiliateCookie, id, TimeSpan.FromDays(AffiliateDays));
    }

    /// <summary>
    /// The query with the affiliate's id, where the visitor was sent by one and the query does not say so itself.
    /// </summary>
    public static string WithAffiliate(HttpContext http, RouteTable routes, string query)
    {
        if (
            AddressQuery.Value(query, routes.AffiliateParameter) is not null
            || Clean(http.Request.Cookie(AffiliateCookie)) is not { } id
        )
            return query;
        var before = query.Length > 1 ? query + "&" : "?";
        return $"{before}{Uri.EscapeDataString(routes.AffiliateParameter)}={Uri.EscapeDataString(id)}";
    }

    /// <summary>
    /// Who sent the visitor by what the address says: the source it names, else the affiliate, else what the mail or
    /// the ad is marked with.
    /// </summary>
    private static (string Source, string? Affiliate) Sender(string query, string affiliateParameter)
    {
        var (named, campaign) = ("", "");
        string? affiliate = null;
        foreach (var part in AddressQuery.PartsOf(query))
        {
            if (named.Length == 0 && part.Is(SourceTag.Parameter))
                named = SourceTag.From(part.Value);
            else if (affiliate is null && part.Is(affiliateParameter))
                affiliate = Clean(part.Value.ToString());
            else if (campaign.Length == 0 && part.Is("utm_source"))
                campaign = SourceTag.From(part.Value);
        }
        if (named.Length == 0 && affiliate is not null)
            named = SourceTag.From(affiliate);
        return (named.Length > 0 ? named : campaign, affiliate);
    }

    private static string? Clean(string? id) =>
        id is { Length: > 0 and <= MaxAffiliateLength }
        && id.All(letter => char.IsAsciiLetterOrDigit(letter) || letter is '-' or '_' or '.' or '~' or '@')
            ? id
            : null;
}
