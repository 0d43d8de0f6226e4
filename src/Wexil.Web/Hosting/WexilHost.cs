using Microsoft.AspNetCore.DataProtection;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Web.Mail;
using Wexil.Web.Shared;
using Wexil.Web.Shared.Background;
using Wexil.Web.Shared.Fetching;
using Wexil.Web.Shared.Reading;
using Wexil.Web.Studio;
using Wexil.Web.Visitors;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Hosting;

/// <summary>One Wexil: the store, and two doors in one process that share nothing but it.</summary>
public sealed class WexilHost : IAsyncDisposable
{
    /// <summary>No visitor sends a file, so nothing they send is large; in bytes.</summary>
    private const long LargestFromVisitors = 64 << 10;

    private readonly DataFolder _folder;
    private readonly WebApplication _studio,
        _visitors;
    private readonly ILoggerFactory _logs;

    private WexilHost(
        WexilOptions options,
        DataFolder folder,
        Database database,
        Journal journal,
        VisitorToken tokens,
        TimeProvider time,
        IChance chance,
        ILoggerFactory logs
    )
    {
        (_folder, Database, Journal, Options, _logs) = (folder, database, journal, options, logs);
        var routes = new Routes(new RouteStore(database));
        var tallies = new TallyStore(database, time);
        var troubles = new TroubleLog(logs.CreateLogger<TroubleLog>(), time);
        var turns = new TurnKeeper(tallies, troubles);
        var desk = new VisitService(routes, journal, database, turns, chance, troubles);
        var pages = new PageStore(database, journal, time);
        var wiring = new WiringStore(database, journal, time);
        var problems = new BackgroundProblems(time);
        var protection = DataProtectionProvider.Create(new DirectoryInfo(folder.Keys), configure =>
            configure.SetApplicationName("Wexil")
        );
        // What remembers anything is made here, once: a type alone would be made by each door for itself.
        var shared = new ServiceCollection()
            .AddSingleton(folder)
            .AddSingleton(new HeldOptInStore(database, journal))
            .AddSingleton(database)
            .AddSingleton(journal)
            .AddSingleton(time)
            .AddSingleton(chance)
            .AddSingleton(routes)
            .AddSingleton(desk)
            .AddSingleton(pages)
            .AddSingleton(tokens)
            .AddSingleton(new FunnelStore(database, journal, time))
            .AddSingleton(new TestStore(database, journal, time))
            .AddSingleton(new VerdictStore(database, journal, time))
            .AddSingleton(tallies)
            .AddSingleton(turns)
            .AddSingleton(new PeopleStore(database, journal, time))
            .AddSingleton(new SettingStore(database, journal))
            .AddSingleton<RateStore>()
            .AddSingleton(new LookStore(database, journal, time))
            .AddSingleton(new NumberStore(database, journal, time))
            .AddSingleton(new PreviewTickets(protection))
            .AddSingleton(new TryTickets(protection))
            .AddSingleton(new SourceStore(database, journal, time))
            .AddSingleton(new WatchStore(database, journal))
            .AddSingleton(new SaleStore(database, journal))
            .AddSingleton(new GoalStore(database, journal, time))
            .AddSingleton(new EventStore(database))
            .AddSingleton(wiring)
            .AddSingleton(troubles)
            .AddSingleton(new IdentityStore(database, journal, troubles))
            .AddSingleton(new PageShelf(database, journal, time))
            .AddSingleton(problems)
            .AddSingleton(new LastSeen(wiring, problems, time, logs.CreateLogger<LastSeen>()))
            .AddSingleton<PageFetcher>()
            .AddSingleton<ScriptInstallation>()
            .AddSingleton<TestReader>()
            .AddSingleton<OwnerTime>()
            .AddSingleton(new OptInStore(database, journal, time))
            .AddSingleton(new OutboxStore(database, journal, time))
            .AddSingleton(new ConfirmTickets(protection))
            .AddSingleton(new MailSender(options.Smtp, options.MailFrom, Path.Combine(folder.Path, "outbox")))
            .AddSingleton(new CountryResolver(options.TrustedProxies, options.CountryHeader))
            .AddSingleton(new DraftStore(database, journal))
            .AddSingleton(new AssetStore(database, journal))
            .AddSingleton(new StudioAddress(options.PublicStudio ?? options.Studio))
            .AddSingleton(new VisitorsAddress(options.PublicVisitors ?? options.Visitors))
            .AddSingleton<ServedPages>();
        _visitors = BuildVisitors(options, shared);
        _studio = BuildStudio(options, folder, shared);
    }

    public WexilOptions Options { get; }
    public Database Database { get; }
    public Journal Journal { get; }

    /// <summary>What both doors share.</summary>
    public IServiceProvider Services => _studio.Services;

    /// <summary>Opens the data folder and both doors.</summary>
    /// <exception cref="StoreException">The data cannot be used.</exception>
    /// <exception cref="IOException">An address is taken.</exception>
    public static async Task<WexilHost> StartAsync(
        WexilOptions options,
        TimeProvider? time = null,
        IChance? chance = null
    )
    {
        var folder = DataFolder.Open(options.Data);
        Database? database = null;
        Journal? journal = null;
        var logs = LoggerFactory.Create(Log);
#pragma warning disable RS0030 // Where nobody hands a clock in, it is the machine's.
        time ??= TimeProvider.System;
#pragma warning restore RS0030
        try
        {
            database = Database.Open(folder);
            journal = new Journal(
                database,
                folder.SpillFile,
                new JournalOptions(options.SurvivePowerLoss),
                logs.CreateLogger<Journal>()
            );
            var key = await new SettingStore(database, journal).TokenKeyAsync();
            var host = new WexilHost(
                options,
                folder,
                database,
                journal,
                new VisitorToken(key),
                time,
                chance ?? new SecureChance(),
                logs
            );
            Agents.Warm();
            await Countries.ReadyAsync();
            await host._visitors.StartAsync();
            await host._studio.StartAsync();
            return host;
        }
        catch
        {
            journal?.Dispose();
            database?.Dispose();
            folder.Dispose();
            logs.Dispose();
            throw;
        }
    }

    /// <summary>Waits until the process is asked to end.</summary>
    public Task WaitForShutdownAsync() =>
        Task.WhenAny(_studio.WaitForShutdownAsync(), _visitors.WaitForShutdownAsync());

    public async ValueTask DisposeAsync()
    {
        await _visitors.DisposeAsync();
        await _studio.DisposeAsync();
        Journal.Dispose();
        Database.Dispose();
        _folder.Dispose();
        _logs.Dispose();
    }

    private static WebApplication BuildVisitors(WexilOptions options, IServiceCollection shared)
    {
        var builder = WebApplication.CreateSlimBuilder(Application());
        // Where something might log a request, the framework makes an activity for each; Kestrel tells of failures by
        // itself.
        Log(builder.Logging);
        builder.Logging.AddFilter("Microsoft.AspNetCore.Hosting.Diagnostics", LogLevel.None);
        // A waiting connection keeps its buffer, and a request is read in one call instead of two.
        builder.WebHost.UseSockets(sockets => sockets.WaitForDataBeforeAllocatingBuffer = false);
        builder.WebHost.UseUrls(options.Visitors.GetLeftPart(UriPartial.Authority));
        builder.WebHost.ConfigureKestrel(kestrel =>
        {
            kestrel.AddServerHeader = false;
            kestrel.Limits.MaxRequestBodySize = LargestFromVisitors;
        });
        AddAll(builder.Services, shared);
        builder.Services.AddSingleton<HostedPages>();
        var app = builder.Build();
        VisitorsApp.Map(app);
        return app;
    }

    private static WebApplication BuildStudio(WexilOptions options, DataFolder folder, IServiceCollection shared)
    {
        var builder = WebApplication.CreateBuilder(Application());
        // The keys lie in the data folder like everything else; who can read it needs no key.
        Log(builder.Logging);
        builder.Logging.AddFilter("Microsoft.AspNetCore.DataProtection", LogLevel.Error);
        builder.WebHost.UseUrls(options.Studio.GetLeftPart(UriPartial.Authority));
        builder.WebHost.ConfigureKestrel(kestrel =>
        {
            kestrel.AddServerHeader = false;
            kestrel.Limits.MaxRequestBodySize = BodyLimits.Stranger;
        });
        AddAll(builder.Services, shared);
        builder
            .Services.AddDataProtection()
            .SetApplicationName("Wexil")
            .PersistKeysToFileSystem(new DirectoryInfo(folder.Keys));
        StudioApp.AddServices(builder.Services, options.FollowsClock);
        var app = builder.Build();
        StudioApp.Map(app);
        return app;
    }

    private static WebApplicationOptions Application() =>
        new()
        {
            ApplicationName = typeof(WexilHost).Assembly.GetName().Name,
            ContentRootPath = AppContext.BaseDirectory,
            EnvironmentName = Environments.Production,
        };

    private static void Log(ILoggingBuilder logging) =>
        logging
            .ClearProviders()
            .AddSimpleConsole(console =>
            {
                console.SingleLine = true;
                console.TimestampFormat = "yyyy-MM-dd HH:mm:ss ";
                console.UseUtcTimestamp = true;
            })
            .SetMinimumLevel(LogLevel.Warning);

    private static void AddAll(IServiceCollection services, IServiceCollection shared)
    {
        // A part that fails is a problem of its own and never the end of the program.
        services.Configure<HostOptions>(host =>
            host.BackgroundServiceExceptionBehavior = BackgroundServiceExceptionBehavior.Ignore
        );
        foreach (var service in shared)
            services.Add(service);
    }
}
