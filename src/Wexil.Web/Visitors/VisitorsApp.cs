using Wexil.App.Serving;
using Wexil.App.Visits;
using Wexil.Web.Hosting;
using Wexil.Web.Visitors.Callers;
using Wexil.Web.Visitors.Starting;

namespace Wexil.Web.Visitors;

/// <summary>The visitors' door: public addresses only, no Studio route and no Studio cookie.</summary>
public static class VisitorsApp
{
    public static IServiceCollection AddVisitors(this IServiceCollection services) =>
        services
            .AddSingleton<Arrivals>()
            .AddSingleton<CallerLimits>()
            .AddSingleton<GoEndpoint>()
            .AddSingleton<IVisitorsEndpoint>(services => services.GetRequiredService<GoEndpoint>())
            .AddSingleton<IVisitorsEndpoint, PageEndpoint>()
            .AddSingleton<IVisitorsEndpoint, OptInEndpoint>()
            .AddSingleton<IVisitorsEndpoint, AssetEndpoint>()
            .AddSingleton<IVisitorsEndpoint, FontEndpoint>()
            .AddSingleton<IVisitorsEndpoint, BuyEndpoint>()
            .AddSingleton<IVisitorsEndpoint, PreviewEndpoint>()
            .AddSingleton<IVisitorsEndpoint, OwnDeviceEndpoint>()
            .AddSingleton<OutsideVisitors>()
            .AddSingleton<Beacons>()
            .AddSingleton<IVisitorsEndpoint, StartEndpoint>()
            .AddSingleton<IVisitorsEndpoint, SectionEndpoint>()
            .AddSingleton<IVisitorsEndpoint, ScriptEndpoint>()
            .AddSingleton<IVisitorsEndpoint, ReachedEndpoint>()
            .AddSingleton<IVisitorsEndpoint, TokenEndpoint>()
            .AddSingleton<IVisitorsEndpoint, StayEndpoint>()
            .AddSingleton<IVisitorsEndpoint, SignalEndpoint>()
            .AddSingleton<IVisitorsEndpoint, SaleHook>()
            .AddSingleton<IVisitorsEndpoint, ConfirmEndpoint>()
            .AddSingleton<IVisitorsEndpoint, ConsentEndpoint>()
            .AddSingleton<IVisitorsEndpoint, ShareEndpoint>()
            .AddSingleton<IVisitorsEndpoint, ReportEndpoint>();

    public static void MapVisitors(this WebApplication app)
    {
        KeepWarm(app.Services.GetRequiredService<Routes>(), app.Services.GetRequiredService<HostedPages>());
        app.Use(app.Services.GetRequiredService<GoEndpoint>().Before);
        app.UseMiddleware<LargeBodies>();
        foreach (var endpoint in app.Services.GetServices<IVisitorsEndpoint>())
            endpoint.Map(app);
        app.MapFallback(http => PlainPage.Write(http, StatusCodes.Status404NotFound, "Page not found."));
    }

    /// <summary>Pages that visitors are sent to are made ready before somebody asks.</summary>
    private static void KeepWarm(Routes routes, HostedPages hosted)
    {
        routes.Changed += hosted.Warm;
        hosted.Warm(routes.Current);
    }
}
