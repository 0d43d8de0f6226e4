using System.Net;
using System.Text;
using Wexil.Core.Funnels;
using Wexil.Store;
using Wexil.Web.Shared;

namespace Wexil.Web.Visitors;

/// <summary><c>/share/{token}</c>: what has to be pasted where, for the person who looks after the owner's site. Nothing else of the Studio.</summary>
public static class SharePage
{
    private const string Style = """
        :root{--ink:#1d2b2a;--soft:#55625e;--rule:#dbd4c4;--paper:#f4f1e9;--sheet:#fffdf8}
        body{margin:0;background:var(--paper);color:var(--ink);font:17px/1.55 system-ui,sans-serif}
        main{max-width:46rem;margin:0 auto;padding:2rem 1.25rem}h1{line-height:1.2}h2{margin:0 0 .25rem;font-size:1.15rem}
        section{background:var(--sheet);border:1px solid var(--rule);border-radius:4px;padding:1rem 1.25rem;margin:1rem 0}
        pre{overflow-x:auto;background:var(--paper);padding:.75rem;margin:.5rem 0;font-size:14px;white-space:pre-wrap;overflow-wrap:anywhere}
        .soft{color:var(--soft)}.good{color:#24613b}.bad{color:#9b2c1d}ul{padding-left:1.1rem}button{font:inherit;font-weight:600;padding:.5rem 1rem;border:1px solid var(--ink);border-radius:3px;background:var(--sheet);cursor:pointer}
        button:focus-visible,a:focus-visible{outline:3px solid #1f5fbf;outline-offset:2px}a{color:#1f4f8f;overflow-wrap:anywhere}
        """;

    public static async Task Answer(HttpContext http, string token, WiringStore wiring, WiringDesk desk, TimeProvider time)
    {
        if (Open(http, token, wiring) is not { } funnel)
        {
            await Closed(http);
            return;
        }
        http.Response.ContentType = "text/html; charset=utf-8";
        http.Response.Headers.ContentSecurityPolicy = $"default-src 'none'; style-src 'sha256-{Hash(Style)}'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";
        await http.Response.WriteAsync(Html(token, desk, desk.Of(funnel), time.GetUtcNow()), http.RequestAborted);
    }

    /// <summary>The button: looks at one page again.</summary>
    public static async Task Check(HttpContext http, string token, string page, WiringStore wiring, WiringDesk desk)
    {
        if (Open(http, token, wiring) is not { } funnel || desk.Of(funnel).FirstOrDefault(shown => shown.Page.Slug == page) is not { } shown)
        {
            await Closed(http);
            return;
        }
        await desk.CheckAsync(shown.Page, http.RequestAborted);
        http.Response.StatusCode = StatusCodes.Status303SeeOther;
        http.Response.Headers.Location = $"/share/{token}#{page}";
    }

    private static FunnelId? Open(HttpContext http, string token, WiringStore wiring)
    {
        http.Response.Headers.CacheControl = "no-store";
        http.Response.Headers["Referrer-Policy"] = "no-referrer";
        http.Response.Headers["X-Robots-Tag"] = "noindex";
        return token.Length <= 100 ? wiring.Open(token) : null;
    }

    private static Task Closed(HttpContext http) => PlainPage.Write(http, StatusCodes.Status404NotFound, "This link opens nothing any more. Ask the person who sent it for a new one.");

    private static string Html(string token, WiringDesk desk, IReadOnlyList<WiredPage> pages, DateTimeOffset now)
    {
        var html = new StringBuilder($"""
            <!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>Lines for your pages</title><style>{Style}</style></head><body><main>
            <h1>Lines to paste into the pages</h1>
            <p>They let the owner of the site count which page works best. No address of a visitor is stored.</p>
            <section><h2>On every page below</h2><p>Into the head, just before <code>&lt;/head&gt;</code>:</p><pre tabindex="0">{Text(desk.Line)}</pre></section>
            """);
        foreach (var shown in pages)
        {
            html.Append($"""<section id="{Text(shown.Page.Slug)}"><h2>{Text(shown.Page.Name)}</h2><p><a href="{Text(shown.Page.Outside!.AbsoluteUri)}" rel="noreferrer">{Text(shown.Page.Outside.AbsoluteUri)}</a></p>""");
            if (shown.Loader is { } loader) html.Append($"""<p>On this page also, first of all in the head:</p><pre tabindex="0">{Text(loader)}</pre>""");
            html.Append(shown.Seen is { } seen ? $"""<p class="good">A visitor’s browser told of it {Minutes(now - seen)}.</p>""" : """<p class="soft">No visitor’s browser has told of it yet.</p>""");
            if (shown.Check is { } check)
            {
                html.Append("<ul>");
                foreach (var finding in check.Findings) html.Append($"""<li class="{(finding.Good switch { true => "good", false => "bad", _ => "soft" })}">{(finding.Good == true ? Text(finding.What) + "." : $"<b>{Text(finding.Words)}</b> {Text(finding.Mend)}")}</li>""");
                html.Append($"""</ul><p class="soft">Looked at {Minutes(now - check.At)}.</p>""");
            }
            html.Append($"""<form method="post" action="/share/{token}/check/{Text(shown.Page.Slug)}"><button>Check this page</button></form></section>""");
        }
        return html.Append("</main></body></html>").ToString();
    }

    private static string Minutes(TimeSpan ago) => ago < TimeSpan.FromMinutes(1) ? "just now" : ago < TimeSpan.FromHours(2) ? $"{(int)ago.TotalMinutes} minutes ago" : ago < TimeSpan.FromDays(2) ? $"{(int)ago.TotalHours} hours ago" : $"{(int)ago.TotalDays} days ago";

    private static string Text(string text) => WebUtility.HtmlEncode(text);

    private static string Hash(string text) => Convert.ToBase64String(System.Security.Cryptography.SHA256.HashData(Encoding.UTF8.GetBytes(text)));
}
