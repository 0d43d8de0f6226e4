using Wexil.Store.Team;
using Wexil.Web.Studio.Account;

namespace Wexil.Web.Studio;

/// <summary>Refuses what changes something to whoever may only look, whatever the screen is.</summary>
public sealed class RoleGuard(RequestDelegate next)
{
    public Task Invoke(HttpContext http)
    {
        var isChange = !HttpMethods.IsGet(http.Request.Method) && !HttpMethods.IsHead(http.Request.Method);
        var isSignedIn = http.User.Identity?.IsAuthenticated == true;
        if (isChange && isSignedIn && !http.User.IsInRole(nameof(Role.Marketer)) && !IsForEveryRole(http))
        {
            http.Response.StatusCode = StatusCodes.Status403Forbidden;
            return Task.CompletedTask;
        }
        return next(http);
    }

    private static bool IsForEveryRole(HttpContext http) =>
        http.GetEndpoint()?.Metadata.GetMetadata<EveryRoleAttribute>() is not null;
}
