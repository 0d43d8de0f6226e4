using Wexil.App;
using Wexil.App.Installation;
using Wexil.App.Outbox;
using Wexil.App.Serving;
using Wexil.App.Tickets;
using Wexil.App.Visits;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Web.Visitors.Callers;
using Wexil.Web.Visitors.Starting;

namespace Wexil.Web.Visitors;

/// <summary>The visitors' door: public addresses only, no Studio route and no Studio cookie.</summary>
public static class VisitorsApp
{
    public static void Map(WebApplication app)
    {
        var services = app.Services;
        var desk = services.GetRequiredService<VisitService>();
        var hosted = services.GetRequiredService<HostedPages>();
        var tokens = services.GetRequiredService<VisitorToken>();
        var time = services.GetRequiredService<TimeProvider>();
        var tickets = services.GetRequiredService<PreviewTickets>();
        var pages = services.GetRequiredService<PageStore>();
        var studio = services.GetRequiredService<StudioAddress>();
        var routes = services.GetRequiredService<Routes>();
        var tries = services.GetRequiredService<TryTickets>();
        var own = services.GetRequiredService<OwnDeviceTickets>();
        var arrivals = new Arrivals(services.GetRequiredService<CountryResolver>());
        var identities = services.GetRequiredService<IdentityStore>();
        var go = new GoEndpoint(
            desk,
            hosted,
            tokens,
            arrivals,
            tries,
            identities,
            services.GetRequiredService<TroubleLog>(),
            time
        );
        var start = new StartEndpoint(
            desk,
            tokens,
            arrivals,
            identities,
            services.GetRequiredService<VisitorsAddress>(),
            services.GetRequiredService<LastSeen>(),
            time
        );
        var sale = new SaleHook(
            desk,
            services.GetRequiredService<SaleStore>(),
            services.GetRequiredService<SettingStore>(),
            tokens,
            time
        );
        var signal = new SignalEndpoint(
            desk,
            services.GetRequiredService<SaleStore>(),
            services.GetRequiredService<SettingStore>(),
            identities,
            tokens,
            time
        );
        var (wiring, wired) = (
            services.GetRequiredService<WiringStore>(),
            services.GetRequiredService<ScriptInstallation>()
        );
        var (confirms, optIns) = (
            services.GetRequiredService<ConfirmTickets>(),
            services.GetRequiredService<OptInStore>()
        );
        var seen = services.GetRequiredService<LastSeen>();
        var held = services.GetRequiredService<HeldOptInStore>();
        routes.Changed += hosted.Warm;
        hosted.Warm(routes.Current);
        string[] read = ["GET", "HEAD"];

        // Plain request delegates: nothing is bound or resolved on the way of a visitor.
        app.MapMethods("/go/{slug}", read, http => go.Answer(http, Part(http, "slug")!));
        app.MapMethods("/p/{slug}/{**path}", read, http =>
            PageEndpoints.Answer(http, Part(http, "slug")!, Part(http, "path"), desk, hosted, tokens, time)
        );
        app.MapPost("/p/{slug}/opt-in", http =>
            PageEndpoints.OptIn(
                http,
                Part(http, "slug")!,
                desk,
                held,
                services.GetRequiredService<TroubleLog>(),
                tokens,
                time
            )
        );
        app.MapMethods("/a/{hash}/{name}", read, http =>
            AssetEndpoint.Answer(http, Part(http, "hash")!, Part(http, "name")!, hosted)
        );
        app.MapGet("/buy/{slug}", http => BuyEndpoint.Buy(http, Part(http, "slug")!, desk, hosted, tokens, time));
        app.MapGet("/no/{slug}", http => BuyEndpoint.No(http, Part(http, "slug")!, desk));
        app.MapGet("/draft/{ticket}", http =>
            PreviewEndpoint.Answer(http, Part(http, "ticket")!, tickets, pages, hosted, desk, studio)
        );
        app.MapGet("/mine/{ticket}", http => OwnDeviceEndpoint.Answer(http, Part(http, "ticket")!, own, studio));
        app.MapGet("/start/{slug}.js", http => start.Answer(http, Part(http, "slug")!));
        app.MapPost("/start/{slug}/stayed", http => start.Stayed(http, Part(http, "slug")!));
        app.MapGet("/wexil.js", ScriptEndpoint.Answer);
        app.MapPost("/reached", http => ReachedEndpoint.Answer(http, desk, identities, seen, tokens, time));
        app.MapPost("/token", http => TokenEndpoint.Answer(http, identities, tokens, time));
        app.MapPost("/stay", http => StayEndpoint.Answer(http, desk, identities, tokens, time));
        app.MapMethods("/signal/{key}", ["GET", "POST"], http => signal.Answer(http, Part(http, "key")!));
        app.MapPost("/hooks/sale", sale.Answer);
        app.MapGet("/confirm/{token}", http => ConfirmEndpoint.Show(http, Part(http, "token")!, confirms));
        app.MapPost("/confirm/{token}", http => ConfirmEndpoint.Confirm(http, Part(http, "token")!, confirms, optIns));
        app.MapGet("/share/{token}", http => SharePage.Answer(http, Part(http, "token")!, wiring, wired, time));
        app.MapPost("/share/{token}/check/{page}", http =>
            SharePage.Check(http, Part(http, "token")!, Part(http, "page")!, wiring, wired)
        );
        var report = ActivatorUtilities.CreateInstance<ReportPage>(services);
        app.MapGet("/report/{token}", http => report.Answer(http, Part(http, "token")!));
        app.MapFallback(http =>
            PlainPage.Write(http, StatusCodes.Status404NotFound, "There is nothing at this address.")
        );
    }

    private static string? Part(HttpContext http, string name) => http.Request.RouteValues[name] as string;
}
