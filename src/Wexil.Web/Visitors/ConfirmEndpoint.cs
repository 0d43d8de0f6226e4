using System.Net;
using Wexil.App.Outbox;
using Wexil.App.Tickets;
using Wexil.Store;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>/confirm/{token}</c>: whoever was mailed says that the address is theirs. By a button, because mail programs open
/// links ahead.
/// </summary>
public static class ConfirmEndpoint
{
    public static Task Show(HttpContext http, string token, ConfirmTickets tickets)
    {
        http.Response.Headers.CacheControl = "no-store";
        http.Response.Headers["Referrer-Policy"] = "no-referrer";
        if (tickets.Open(token) is not var (_, email))
            return Over(http);
        http.Response.ContentType = "text/html; charset=utf-8";
        http.Response.Headers.ContentSecurityPolicy =
            "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";
        return http.Response.WriteAsync(
            $"""
            <!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>Confirm your address</title>
            <body style="font:18px/1.5 system-ui,sans-serif;max-width:32rem;margin:20vh auto;padding:0 1.5rem"><main><h1>Is this your address?</h1><p>{WebUtility.HtmlEncode(
                email
            )}</p>
            <form method="post"><button style="font:inherit;font-weight:600;padding:.6rem 1.2rem">Yes, it is mine</button></form></main>
            """
        );
    }

    public static async Task Confirm(HttpContext http, string token, ConfirmTickets tickets, OptInStore optIns)
    {
        http.Response.Headers.CacheControl = "no-store";
        if (tickets.Open(token) is not var (step, email))
        {
            await Over(http);
            return;
        }
        await optIns.ConfirmAsync(step, email);
        await PlainPage.Write(http, StatusCodes.Status200OK, "Thank you. Your address is confirmed.");
    }

    private static Task Over(HttpContext http) =>
        PlainPage.Write(
            http,
            StatusCodes.Status404NotFound,
            "This link is not good any more. Please sign up once more."
        );
}
