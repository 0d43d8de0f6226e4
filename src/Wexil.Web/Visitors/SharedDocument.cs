using System.Security.Cryptography;
using System.Text;
using Wexil.Store;

namespace Wexil.Web.Visitors;

/// <summary>
/// A page for somebody who was sent a link by the owner: no script, nothing from elsewhere, no trace in search engines.
/// </summary>
public static class SharedDocument
{
    private const int MaxTokenLength = 100;

    private const string Style = """
        :root{--ink:#1d2b2a;--soft:#55625e;--rule:#dbd4c4;--paper:#f4f1e9;--sheet:#fffdf8}
        body{margin:0;background:var(--paper);color:var(--ink);font:17px/1.55 system-ui,sans-serif;font-variant-numeric:tabular-nums}
        main{max-width:46rem;margin:0 auto;padding:2rem 1.25rem}h1{line-height:1.2}h2{margin:0 0 .25rem;font-size:1.15rem}
        section{background:var(--sheet);border:1px solid var(--rule);border-radius:4px;padding:1rem 1.25rem;margin:1rem 0}
        pre{overflow-x:auto;background:var(--paper);padding:.75rem;margin:.5rem 0;font-size:14px;white-space:pre-wrap;overflow-wrap:anywhere}
        .soft{color:var(--soft)}.good{color:#24613b}.bad{color:#9b2c1d}.big{font-size:1.5rem;font-weight:650;line-height:1.25;margin:.25rem 0}ul{padding-left:1.1rem}button{font:inherit;font-weight:600;padding:.5rem 1rem;border:1px solid var(--ink);border-radius:3px;background:var(--sheet);cursor:pointer}
        button:focus-visible,a:focus-visible,div:focus-visible{outline:3px solid #1f5fbf;outline-offset:2px}a{color:#1f4f8f;overflow-wrap:anywhere}
        .scroll{overflow-x:auto}table{border-collapse:collapse;width:100%;font-size:15px}th,td{text-align:right;padding:.35rem .5rem;border-bottom:1px solid var(--rule);vertical-align:top}th:first-child,td:first-child{text-align:left;overflow-wrap:anywhere;min-width:9rem}td small{display:block;color:var(--soft);white-space:nowrap}section>:last-child{margin-bottom:0}
        .kept{white-space:pre-line}svg{display:block;width:100%;height:auto}svg text{font-size:12.5px;fill:var(--soft)}
        .a{--tone:#46525c}.b{--tone:#0a706c}.c{--tone:#b34d12}.d{--tone:#70459c}.e{--tone:#2766ad}.f{--tone:#9c2c70}.g{--tone:#5d6b12}.h{--tone:#8a4b3a}.i{--tone:#3d5a80}.j{--tone:#6b4a86}
        .curve{fill:var(--tone);fill-opacity:.18;stroke:var(--tone);stroke-width:2}.range{stroke:var(--tone);stroke-width:5}.dot{fill:var(--sheet);stroke:var(--tone);stroke-width:2.5}svg .letter{fill:var(--tone);font-weight:700;font-size:16px}.tick{stroke:var(--rule)}
        @media print{body{background:none;font-size:12pt}main{padding:0;max-width:none}section{break-inside:avoid;border-color:#999}}
        """;

    private static readonly string Policy =
        $"default-src 'none'; style-src 'sha256-{Convert.ToBase64String(SHA256.HashData(Encoding.UTF8.GetBytes(Style)))}'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

    /// <summary>What the link's token opens; null for nothing any more.</summary>
    public static long? Open(HttpContext http, string token, SharedLinks links)
    {
        http.Response.Headers.CacheControl = "no-store";
        http.Response.Headers["Referrer-Policy"] = "no-referrer";
        http.Response.Headers["X-Robots-Tag"] = "noindex";
        return token.Length <= MaxTokenLength ? links.Open(token) : null;
    }

    public static Task Closed(HttpContext http) =>
        PlainPage.Write(
            http,
            StatusCodes.Status404NotFound,
            "This link opens nothing any more. Ask the person who sent it for a new one."
        );

    /// <param name="title">As text.</param>
    /// <param name="body">As HTML.</param>
    public static Task Write(HttpContext http, string title, string body)
    {
        http.Response.ContentType = "text/html; charset=utf-8";
        http.Response.Headers.ContentSecurityPolicy = Policy;
        http.Response.Headers.XContentTypeOptions = "nosniff";
        return http.Response.WriteAsync(
            $"""
            <!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>{System.Net.WebUtility.HtmlEncode(
                title
            )}</title><style>{Style}</style></head><body><main>
            {body}
            </main></body></html>
            """,
            http.RequestAborted
        );
    }
}
