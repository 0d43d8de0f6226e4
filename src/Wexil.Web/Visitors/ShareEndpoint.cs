using Wexil.App.Installation;
using Wexil.Core.Common;
using Wexil.Store;
using Wexil.Web.Visitors.Documents;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>/share/{token}</c>: what has to be pasted where, for the person who looks after the owner's site. Nothing else of
/// the Studio.
/// </summary>
public sealed class ShareEndpoint(
    InstallationStore wiring,
    ScriptInstallation installation,
    SettingStore settings,
    TimeProvider time
) : IVisitorsEndpoint
{
    public void Map(IEndpointRouteBuilder routes)
    {
        routes.MapGet("/share/{token}", Show);
        routes.MapPost("/share/{token}/check/{page}", Check);
    }

    private async Task Show(HttpContext http)
    {
        var token = http.Part("token");
        if (Open(http, token) is not { } funnel)
        {
            await SharedDocument.Closed(http);
            return;
        }
        await SharedDocument.Write<ShareDocument>(
            http,
            (nameof(ShareDocument.Token), token),
            (nameof(ShareDocument.Line), installation.Line),
            (nameof(ShareDocument.Pages), Shown(token, funnel)),
            (nameof(ShareDocument.Owner), settings.OwnerName),
            (nameof(ShareDocument.Now), time.GetUtcNow())
        );
    }

    /// <summary>The button: looks at one page again.</summary>
    private async Task Check(HttpContext http)
    {
        var (token, page) = (http.Part("token"), http.Part("page"));
        if (
            Open(http, token) is not { } funnel
            || Shown(token, funnel).FirstOrDefault(shown => shown.Page.Slug == page) is not { } shown
        )
        {
            await SharedDocument.Closed(http);
            return;
        }
        await installation.CheckAsync(shown, http.RequestAborted, isHelpers: true);
        http.Response.StatusCode = StatusCodes.Status303SeeOther;
        http.Response.Headers.Location = $"/share/{token}#{page}";
    }

    /// <summary>The pages that the owner chose to show.</summary>
    private IReadOnlyList<InstalledPage> Shown(string token, FunnelId funnel) =>
        wiring.Chosen(token) is { } chosen
            ? [.. installation.ForFunnel(funnel).Where(page => chosen.Contains(page.Page.Id))]
            : installation.ForFunnel(funnel);

    private FunnelId? Open(HttpContext http, string token) =>
        SharedDocument.Open(http, token, wiring.Links) is { } funnel ? new FunnelId(funnel) : null;
}
