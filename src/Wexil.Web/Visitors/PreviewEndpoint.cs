using System.Buffers.Text;
using System.Security.Cryptography;
using Wexil.App;
using Wexil.App.Serving;
using Wexil.App.Tickets;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Store;
using Wexil.Web.Visitors.Frame;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>GET /draft/{ticket}</c>: a page in one of Studio's frames. Its own scripts never run; ours does where the frame
/// needs it, in an origin of its own that can reach neither Studio nor the visitors' cookies. Nothing is counted, and
/// no picture that counts visits for somebody else is fetched.
/// </summary>
public sealed class PreviewEndpoint(PreviewTickets tickets, PageStore pages, HostedPages hosted, StudioAddress studio)
    : IVisitorsEndpoint
{
    public void Map(IEndpointRouteBuilder routes) => routes.MapGet("/draft/{ticket}", Answer);

    private async Task Answer(HttpContext http)
    {
        var headers = http.Response.Headers;
        headers["X-Robots-Tag"] = "noindex";
        headers["Referrer-Policy"] = "no-referrer";
        if (
            tickets.Open(http.Part("ticket")) is not { } preview
            || pages.Find(preview.Page) is not { } page
            || http.Routes().PageOrVersion(page.Slug) is not { Outside: null } route
        )
        {
            headers.ContentSecurityPolicy =
                $"sandbox; default-src 'none'; style-src 'unsafe-inline'; frame-ancestors {studio.Origin}";
            await PlainPage.Write(
                http,
                StatusCodes.Status404NotFound,
                "This preview has expired. Reload the page in Wexil."
            );
            return;
        }
        var nonce = Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(16));
        var ours = preview.Use != PreviewUse.Look;
        headers.ContentSecurityPolicy = Policy(ours ? nonce : null);
        Func<long, string>? ahead = ours
            ? revision => FrameScript.Element(nonce, preview.Use.ToString().ToLowerInvariant(), revision)
            : null;
        var html = hosted.Preview(
            http.Routes(),
            route,
            preview.Version,
            ours ? PageView.Editor : PageView.Preview,
            ahead
        );
        var shown = HostedFile.Passing(html, ContentTypes.Html);
        await FileResponse.Write(http, shown, FileResponse.Caching.Never);
    }

    /// <summary>A page's own scripts never run, nor those of frames in it, in whatever origin.</summary>
    /// <param name="nonce">Of our own script; null where none runs.</param>
    private string Policy(string? nonce) =>
        $"sandbox{(nonce is null ? "" : " allow-scripts")}; default-src * data: blob: 'unsafe-inline'; script-src "
        + $"{(nonce is null ? "'none'" : $"'nonce-{nonce}'")}; frame-src 'none'; connect-src 'none'; "
        + $"form-action 'none'; object-src 'none'; frame-ancestors {studio.Origin}";
}
