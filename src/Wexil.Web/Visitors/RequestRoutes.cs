using Microsoft.AspNetCore.Http.Features;
using Wexil.App.Visits;
using Wexil.Core.Assignments;

namespace Wexil.Web.Visitors;

/// <summary>
/// The table that a request is answered from. It is taken once, when the request comes in, so that no answer is put
/// together from two: a change in between is seen by the next request.
/// </summary>
public static class RequestRoutes
{
    /// <summary>Takes the table that is current for every request that comes in behind this.</summary>
    public static void UseOneTableARequest(this IApplicationBuilder app)
    {
        var routes = app.ApplicationServices.GetRequiredService<Routes>();
        app.Use(next =>
            http =>
            {
                http.Features.Set(routes.Current);
                return next(http);
            }
        );
    }

    /// <summary>The table of this request.</summary>
    public static RouteTable Routes(this HttpContext http) => http.Features.GetRequiredFeature<RouteTable>();
}
