using System.Net;
using System.Text;
using Wexil.App.Installation;
using Wexil.Core.Common;
using Wexil.Store;

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
        await SharedDocument.Write(
            http,
            "Lines for your pages",
            Html(token, desk, Shown(token, funnel, wiring, desk), time.GetUtcNow())
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

    private static string Html(
        string token,
        ScriptInstallation desk,
        IReadOnlyList<WiredPage> pages,
        DateTimeOffset now
    )
    {
        var html = new StringBuilder(
            $"""
            <h1>Lines to paste into the pages</h1>
            <p>They let the owner of the site count which page works best. No address of a visitor is stored.</p>
            <section><h2>On every page below</h2><p>Into the head, just before <code>&lt;/head&gt;</code>:</p><pre tabindex="0">{Text(
                desk.Line
            )}</pre></section>
            """
        );
        foreach (var shown in pages)
        {
            html.Append(
                $"""<section id="{Text(shown.Page.Slug)}"><h2>{Text(shown.Page.Name)}</h2><p><a href="{Text(shown.Page.Outside!.AbsoluteUri)}" rel="noreferrer">{Text(shown.Page.Outside.AbsoluteUri)}</a></p>"""
            );
            if (shown.Loader is { } loader)
                html.Append(
                    $"""<p>On this page also, first of all in the head:</p><pre tabindex="0">{Text(loader)}</pre>"""
                );
            html.Append(
                shown.Seen is { } seen
                    ? $"""<p class="good">A visitor’s browser told of it {Minutes(now - seen)}.</p>"""
                    : """<p class="soft">No visitor’s browser has told of it yet.</p>"""
            );
            if (shown.Check is { } check)
            {
                html.Append("<ul>");
                foreach (var finding in check.Findings)
                    html.Append(
                        $"""<li class="{(finding.Good switch { true => "good", false => "bad", _ => "soft" })}">{(finding.Good == true ? Text(finding.What) + "." : $"<b>{Text(finding.Words)}</b> {Text(finding.Mend)}")}</li>"""
                    );
                html.Append($"""</ul><p class="soft">Looked at {Minutes(now - check.At)}.</p>""");
            }
            html.Append(
                $"""<form method="post" action="/share/{token}/check/{Text(shown.Page.Slug)}"><button>Check this page</button></form></section>"""
            );
        }
        return html.ToString();
    }

    private static string Minutes(TimeSpan ago) =>
        ago < TimeSpan.FromMinutes(1) ? "just now"
        : ago < TimeSpan.FromHours(2) ? $"{(int)ago.TotalMinutes} minutes ago"
        : ago < TimeSpan.FromDays(2) ? $"{(int)ago.TotalHours} hours ago"
        : $"{(int)ago.TotalDays} days ago";

    private static string Text(string text) => WebUtility.HtmlEncode(text);
}
