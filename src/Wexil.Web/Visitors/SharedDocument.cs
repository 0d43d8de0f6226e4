using Microsoft.AspNetCore.Components;
using Wexil.Store;
using Wexil.Web.Visitors.Documents;

namespace Wexil.Web.Visitors;

/// <summary>
/// A page for somebody who was sent a link by the owner: no script, nothing from elsewhere, no trace in search engines.
/// </summary>
public static class SharedDocument
{
    private const int MaxTokenLength = 100;

    /// <summary>What the link's token opens; null for nothing any more.</summary>
    public static long? Open(HttpContext http, string token, SharedLinks links)
    {
        ReaderLanguage.Use(http);
        http.Response.Headers.CacheControl = "no-store";
        http.Response.Headers["Referrer-Policy"] = "no-referrer";
        http.Response.Headers["X-Robots-Tag"] = "noindex";
        return token.Length <= MaxTokenLength ? links.Open(token) : null;
    }

    public static Task Closed(HttpContext http) =>
        PlainPage.Write(
            http,
            StatusCodes.Status404NotFound,
            "This link has expired or was turned off. Ask the sender for a new one."
        );

    public static Task Write<TDocument>(HttpContext http, params (string Name, object? Value)[] values)
        where TDocument : IComponent
    {
        http.Response.Headers.ContentSecurityPolicy = DocumentStyles.Policy(DocumentStyles.Shared);
        return DocumentRenderer.WriteAsync<TDocument>(http, values);
    }
}
