using System.Text.Encodings.Web;
using System.Text.Unicode;
using Microsoft.AspNetCore.Antiforgery;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.Extensions.WebEncoders;
using Wexil.App;
using Wexil.App.Background;
using Wexil.Store.Team;
using Wexil.Web.Hosting;
using Wexil.Web.Studio.Account;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Build;
using Wexil.Web.Studio.Count;
using Wexil.Web.Studio.Sections;
using Wexil.Web.Studio.Send;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio;

/// <summary>The team's door: everything behind a sign-in, nothing of the marketers' pages in its origin.</summary>
public static class StudioApp
{
    /// <summary>The policy of screens for owners.</summary>
    public const string OwnerOnly = "owner";

    public static void AddStudio(this IServiceCollection services, bool followsClock)
    {
        services
            .AddSingleton<AuditTrail>()
            .AddSingleton<AuditFilter>()
            .AddSingleton<OncePerForm>()
            .AddSingleton<LiveFeed>()
            .AddSingleton<StepScreens>()
            .AddSingleton<PageContext>()
            .AddSingleton<Upcoming>()
            .AddSingleton<Segments>()
            .AddSingleton<Readiness>()
            .AddSingleton<TypedAddress>();
        if (followsClock)
            services.AddPeriodicWork();
        services.AddSignIn();
        services.AddForms();
        // Styles and scripts only: a screen holds secrets, and the length of what is compressed would tell of them.
        services.AddResponseCompression(compression =>
        {
            compression.EnableForHttps = true;
            compression.MimeTypes = ["text/css", "text/javascript", "image/svg+xml"];
        });
        services.Configure<WebEncoderOptions>(encoder =>
            encoder.TextEncoderSettings = new TextEncoderSettings(UnicodeRanges.All)
        );
        services.Configure<Microsoft.AspNetCore.Http.Features.FormOptions>(form => form.ValueLengthLimit = 16 << 20);
        services.AddScreens();
    }

    private static void AddScreens(this IServiceCollection services)
    {
        services.AddRazorPages(pages =>
        {
            pages.RootDirectory = "/Studio";
            pages
                .Conventions.AuthorizeFolder("/")
                .AuthorizeFolder("/Settings", OwnerOnly)
                .AuthorizeFolder("/Team", OwnerOnly)
                .AllowAnonymousToFolder("/Account")
                // What was done before is not logged again.
                .ConfigureFilter(new Microsoft.AspNetCore.Mvc.ServiceFilterAttribute(typeof(OncePerForm)))
                .ConfigureFilter(new Microsoft.AspNetCore.Mvc.ServiceFilterAttribute(typeof(AuditFilter)));
            // A screen is found by its folder: Today/Today.cshtml states its address itself.
        });
        services.Configure<RouteOptions>(routes => routes.LowercaseUrls = true);
    }

    private static void AddForms(this IServiceCollection services)
    {
        services
            .AddOptions<AntiforgeryOptions>()
            .Configure<StudioAddress>(
                (antiforgery, studio) =>
                {
                    var secure = studio.Address.Scheme == Uri.UriSchemeHttps;
                    antiforgery.HeaderName = "X-Antiforgery";
                    antiforgery.Cookie.Name = secure ? "__Host-wexil-form" : "wexil-form";
                    antiforgery.Cookie.SecurePolicy = secure ? CookieSecurePolicy.Always : CookieSecurePolicy.None;
                }
            );
        services.AddAntiforgery();
    }

    private static void AddSignIn(this IServiceCollection services)
    {
        services
            .AddSingleton<SignInLinks>()
            .AddSingleton<Passwords>()
            .AddSingleton<SecondStep>()
            .AddSingleton<KnownDevices>()
            .AddSingleton<Sessions>()
            .AddSingleton<SignInThrottle>()
            .AddSingleton<SignInAttempts>();
        services.AddAuthorization(may => may.AddPolicy(OwnerOnly, policy => policy.RequireRole(nameof(Role.Owner))));
        services.AddAuthentication(CookieAuthenticationDefaults.AuthenticationScheme).AddCookie();
        services
            .AddOptions<CookieAuthenticationOptions>(CookieAuthenticationDefaults.AuthenticationScheme)
            .Configure<StudioAddress>(
                (cookie, studio) =>
                {
                    var secure = studio.Address.Scheme == Uri.UriSchemeHttps;
                    cookie.LoginPath = "/sign-in";
                    cookie.Events.OnRedirectToAccessDenied = context =>
                    {
                        context.Response.StatusCode = StatusCodes.Status403Forbidden;
                        return Task.CompletedTask;
                    };
                    cookie.ExpireTimeSpan = SessionStore.MaxLife;
                    cookie.Events.OnValidatePrincipal = context =>
                        context.HttpContext.RequestServices.GetRequiredService<Sessions>().ValidateAsync(context);
                    cookie.Cookie.Name = secure ? "__Host-wexil" : "wexil";
                    cookie.Cookie.HttpOnly = true;
                    cookie.Cookie.SameSite = SameSiteMode.Strict;
                    cookie.Cookie.SecurePolicy = secure ? CookieSecurePolicy.Always : CookieSecurePolicy.SameAsRequest;
                }
            );
    }

    public static void MapStudio(this WebApplication app)
    {
        // From now on links of the command line are good.
        app.Services.GetRequiredService<SignInLinks>();
        var threads = app.Services.GetRequiredService<YieldingThreads>();
        app.Use((http, next) => threads.RunAsync(() => next(http)));
        app.UseExceptionHandler("/problem");
        app.UseStatusCodePagesWithReExecute("/problem", "?status={0}");
        app.UseMiddleware<StudioGuard>();
        app.UseResponseCompression();
        app.UseStaticFiles(
            new StaticFileOptions
            {
                OnPrepareResponse = context => context.Context.Response.Headers.CacheControl = "no-cache",
            }
        );
        app.Use(
            (http, next) =>
            {
                ReaderLanguage.Use(http);
                return next(http);
            }
        );
        app.UseRouting();
        app.UseAuthentication();
        app.UseMiddleware<StrangerPlaces>();
        app.UseAuthorization();
        app.UseMiddleware<RoleGuard>();
        app.UseMiddleware<LargeBodies>();
        app.UseMiddleware<BodyLimits>();
        app.MapRazorPages();
        Exports.Map(app);
        CombinationsExport.Map(app);
        PageChoice.Map(app);
        app.MapGet("/live/{test:long}", LiveFeed.Answer).RequireAuthorization();
    }
}
