using System.Net;

namespace Wexil.Web.Visitors;

/// <summary>A sentence to a visitor where there is no page of the marketer's to show.</summary>
public static class PlainPage
{
    public static Task Write(HttpContext http, int status, string sentence)
    {
        http.Response.StatusCode = status;
        http.Response.ContentType = "text/html; charset=utf-8";
        http.Response.Headers.XContentTypeOptions = "nosniff";
        return http.Response.WriteAsync(
            $"""
            <!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>{status}</title>
            <body style="font:18px/1.5 system-ui,sans-serif;max-width:32rem;margin:20vh auto;padding:0 1.5rem"><p>{WebUtility.HtmlEncode(
                sentence
            )}</p>
            """
        );
    }
}
