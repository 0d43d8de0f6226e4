using Wexil.App.Installation;
using Wexil.Core.Common;
using Wexil.Store;
using Wexil.Web.Visitors.Documents;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>/share/{token}</c>: what has to be pasted where, for the person who looks after the owner's site. Nothing else of
/// the Studio.
/// </summary>
public static class SharePage
{
    public static async Task Answer(
        HttpContext http,
        string token,
        WiringStore wiring,
        ScriptInstallation desk,
        TimeProvider time
    )
    {
        if (Open(http, token, wiring) is not { } funnel)
        {
            await SharedDocument.Closed(http);
            return;
        }
        await SharedDocument.Write<ShareDocument>(
            http,
            (nameof(ShareDocument.Token), token),
            (nameof(ShareDocument.Line), desk.Line),
            (nameof(ShareDocument.Pages), Shown(token, funnel, wiring, desk)),
            (nameof(ShareDocument.Now), time.GetUtcNow())
        );
    }

    /// <summary>The button: looks at one page again.</summary>
    public static async Task Check(
        HttpContext http,
        string token,
        string page,
        WiringStore wiring,
        ScriptInstallation desk
    )
    {
        if (
            Open(http, token, wiring) is not { } funnel
            || Shown(token, funnel, wiring, desk).FirstOrDefault(shown => shown.Page.Slug == page) is not { } shown
        )
        {
            await SharedDocument.Closed(http);
            return;
        }
        await desk.CheckAsync(shown, http.RequestAborted);
        http.Response.StatusCode = StatusCodes.Status303SeeOther;
        http.Response.Headers.Location = $"/share/{token}#{page}";
    }

    /// <summary>The pages that the owner chose to show.</summary>
    private static IReadOnlyList<WiredPage> Shown(
        string token,
        FunnelId funnel,
        WiringStore wiring,
        ScriptInstallation desk
    ) =>
        wiring.Chosen(token) is { } chosen
            ? [.. desk.Of(funnel).Where(page => chosen.Contains(page.Page.Id))]
            : desk.Of(funnel);

    private static FunnelId? Open(HttpContext http, string token, WiringStore wiring) =>
        SharedDocument.Open(http, token, wiring.Links) is { } funnel ? new FunnelId(funnel) : null;
}
