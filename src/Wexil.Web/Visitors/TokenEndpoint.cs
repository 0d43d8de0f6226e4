using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>POST /token</c>: a fresh token for a visitor whose page has been open for longer than one lives.
/// </summary>
public sealed class TokenEndpoint(IdentityStore identities, VisitorToken tokens, TimeProvider time) : IVisitorsEndpoint
{
    public void Map(IEndpointRouteBuilder routes) => routes.MapPost("/token", Answer);

    private async Task Answer(HttpContext http)
    {
        if (await ScriptMessage.Read(http) is not var (message, _))
            return;
        var now = time.GetUtcNow();
        if (message.From(http, http.Routes(), identities, tokens, now) is { } visitor)
            await http.Response.WriteAsJsonAsync(new { token = tokens.Issue(visitor, now) });
        else
            http.Response.StatusCode = StatusCodes.Status204NoContent;
    }
}
