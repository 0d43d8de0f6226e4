using Wexil.App.Tickets;
using Wexil.Store;
using Wexil.Web.Visitors.Documents;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>/confirm/{token}</c>: whoever was mailed says that the address is theirs. By a button, because mail programs open
/// links ahead.
/// </summary>
public sealed class ConfirmEndpoint(ConfirmTickets tickets, OptInStore optIns) : IVisitorsEndpoint
{
    public void Map(IEndpointRouteBuilder routes)
    {
        routes.MapGet("/confirm/{token}", Show);
        routes.MapPost("/confirm/{token}", Confirm);
    }

    private Task Show(HttpContext http)
    {
        http.Response.Headers.CacheControl = "no-store";
        http.Response.Headers["Referrer-Policy"] = "no-referrer";
        if (tickets.Open(http.Part("token")) is not var (_, email))
            return Over(http);
        http.Response.Headers.ContentSecurityPolicy = DocumentStyles.Policy(DocumentStyles.Plain);
        return DocumentRenderer.WriteAsync<Confirmation>(http, (nameof(Confirmation.Email), email));
    }

    private async Task Confirm(HttpContext http)
    {
        http.Response.Headers.CacheControl = "no-store";
        if (tickets.Open(http.Part("token")) is not var (step, email))
        {
            await Over(http);
            return;
        }
        await optIns.ConfirmAsync(step, email);
        await PlainPage.Write(http, StatusCodes.Status200OK, "Thank you. Your e-mail address is confirmed.");
    }

    private static Task Over(HttpContext http) =>
        PlainPage.Write(http, StatusCodes.Status404NotFound, "This link has expired. Please sign up again.");
}
